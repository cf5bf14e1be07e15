import { refThrottled } from "@vueuse/core";
import { defineStore } from "pinia";
import { computed, onBeforeUnmount, onMounted, ref, watch } from "vue";

import type { Bus, Effect, EffectKind, Layer } from "../api/types";
import { useInstrument } from "./instrument";
import { useLive } from "./live";
import { WHOLE } from "./owners";
import { useProject } from "./project";

const SEEN_MS = 160;

/** A stream that passes effects: a layer's, a shared one, or the whole. */
export interface Stream {
  id: string;
  name: string;
  petal: string | null;
  effects: Effect[];
  layer: Layer | null;
  bus: Bus | null;
  /** JSON pointer to where it stands. */
  path: string;
}

/** What is looked at in the mix: an effect or a stream. */
export type ChosenInMix = { what: "effect" | "stream"; id: string };

/** The mix of the instrument in hand: its streams, what is chosen, and what is heard alone. */
export const useMix = defineStore("mix", () => {
  const instrument = useInstrument();
  const live = useLive();
  const project = useProject();
  const chosen = ref<ChosenInMix | null>(null);
  const alone = ref<string | null>(null);
  const users = ref(0);

  /** Levels and meters, not more often than an eye follows: each change repaints the whole picture. */
  const seen = refThrottled(
    computed(() => live.look.mix),
    SEEN_MS,
  );

  const streams = computed<Stream[]>(() => {
    const doc = instrument.document;
    if (!doc) return [];
    return [
      ...doc.layers.map((layer, i) => ({
        ...{ id: layer.id, name: layer.name, petal: layer.petal, effects: layer.effects, path: `/layers/${i}` },
        ...{ layer, bus: null },
      })),
      ...doc.buses.map((bus, i) => ({
        id: bus.id,
        name: bus.name,
        petal: null,
        effects: bus.effects,
        path: `/buses/${i}`,
        layer: null,
        bus,
      })),
      { id: WHOLE, name: "The whole", petal: null, effects: doc.effects, path: "", layer: null, bus: null },
    ];
  });
  const stream = computed(() => streams.value.find(({ id }) => chosen.value?.what === "stream" && id === chosen.value.id) ?? null);
  const effect = computed(() => (chosen.value?.what === "effect" ? find(chosen.value.id) : null));

  /** An effect, its stream and its place there. */
  function find(id: string): { effect: Effect; stream: Stream; at: number; path: string } | null {
    for (const one of streams.value) {
      const at = one.effects.findIndex((effect) => effect.id === id);
      if (at >= 0) return { effect: one.effects[at]!, stream: one, at, path: `${one.path}/effects/${at}` };
    }
    return null;
  }

  function kindOf(effect: Effect): EffectKind | undefined {
    return project.catalogue.effect_kinds.find(({ id }) => id === effect.kind);
  }

  /** Hear only what an effect changes, or everything again. */
  function hearAlone(id: string | null): void {
    alone.value = id;
    live.tell({ do: "difference", effect: id });
  }

  async function add(chain: string, kind: string, at?: number): Promise<void> {
    const before = new Set(streams.value.flatMap(({ effects }) => effects.map(({ id }) => id)));
    if (!(await instrument.mix({ do: "add effect", chain, kind, at }))) return;
    const made = streams.value.flatMap(({ effects }) => effects).find(({ id }) => !before.has(id));
    if (made) chosen.value = { what: "effect", id: made.id };
  }

  async function remove(id: string): Promise<void> {
    if (alone.value === id) hearAlone(null);
    if (await instrument.mix({ do: "remove effect", effect: id })) chosen.value = null;
  }

  function move(id: string, chain: string, at: number): Promise<boolean> {
    return instrument.mix({ do: "move effect", effect: id, chain, at });
  }

  watch([() => users.value > 0, chosen] as const, ([on, one]) => {
    const stream = one?.what === "stream" && one.id !== WHOLE ? one.id : null;
    live.watchMix({ mix: on, stream: on ? stream : null, effect: on && one?.what === "effect" ? one.id : null });
  });
  watch(
    () => instrument.id,
    () => {
      chosen.value = null;
      if (alone.value !== null) hearAlone(null);
    },
  );
  // what is gone cannot be looked at
  watch(streams, () => {
    if (chosen.value?.what === "effect" && !find(chosen.value.id)) chosen.value = null;
    if (alone.value !== null && !find(alone.value)) hearAlone(null);
  });

  return { seen, streams, chosen, stream, effect, alone, users, find, kindOf, hearAlone, add, remove, move };
});

/** What the mixer does is wanted for as long as the component that calls this is there. */
export function useLiveMix(): void {
  const mix = useMix();
  onMounted(() => mix.users++);
  onBeforeUnmount(() => {
    mix.users--;
    if (mix.users === 0 && mix.alone !== null) mix.hearAlone(null);
  });
}
