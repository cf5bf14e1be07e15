import { useLocalStorage } from "@vueuse/core";
import { defineStore } from "pinia";
import { computed, watch } from "vue";

import type { Declared, Settings, Value } from "../api/types";
import { useEnsemble } from "./ensemble";
import { useLive } from "./live";
import { useProject } from "./project";

/** What chords become: of the strip for an instrument, of the chosen player in an ensemble. */
export const usePhrase = defineStore("phrase", () => {
  const live = useLive();
  const ensemble = useEnsemble();
  const project = useProject();
  const own = useLocalStorage<Settings>("bloom-phrase", {});
  const declared = computed<Declared[]>(() => project.catalogue.phrase);
  const ofEnsemble = computed(() => live.playsEnsemble);
  const player = computed(() => (ofEnsemble.value ? ensemble.chosen : null));
  const values = computed<Settings>(() => {
    if (player.value) return player.value.phrase as Settings;
    return { ...Object.fromEntries(declared.value.map((one) => [one.id, one.default])), ...own.value };
  });
  const on = computed(() => values.value.pattern !== "off");

  function tell(): void {
    live.tell({ do: "phrase", settings: { ...values.value } as Record<string, number | string> });
  }

  function set(id: string, value: Value, name: string): void {
    if (player.value) return ensemble.rest(player.value.id, { [id]: value }, `${player.value.name} ${name}`.slice(0, 120), "phrase");
    own.value = { ...own.value, [id]: value };
    tell();
  }

  // an engine that has just been connected knows nothing of it
  watch([() => live.state, ofEnsemble], () => live.state === "on" && !ofEnsemble.value && tell());

  return { declared, values, on, player, ofEnsemble, set };
});
