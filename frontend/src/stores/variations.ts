import { defineStore } from "pinia";
import { computed, ref, watch } from "vue";

import type { VariationSet, VariationShown, VariationsDrawn, VariationsRevision } from "../api/types";
import { useMadeSet } from "../composables/madeSet";
import { useLive } from "./live";

/** The set of variations in hand: what is asked, what was drawn, what is kept of it and handed over. */
export const useVariations = defineStore("variations", () => {
  const live = useLive();
  const chosenNumber = ref<number | null>(null);
  const made = useMadeSet<VariationSet, VariationsRevision, VariationsDrawn>("/api/variations", "drawn", "draw");
  const { told, edit, start, jobOf } = made;

  const drawn = computed<VariationShown[]>(() => told.value?.drawn ?? []);
  const chosen = computed(() => drawn.value.find((one) => one.number === chosenNumber.value) ?? null);
  const drawing = computed(() => jobOf("draw"));
  const handing = computed(() => jobOf("hand-over"));
  watch(made.id, () => (chosenNumber.value = null));

  /** A new set: of an instrument, of its snapshots as layers, or of a take. */
  const create = (of: { instrument?: number; recording?: number; take?: number; layers?: boolean }) =>
    made.create({ instrument: null, recording: null, take: null, layers: false, name: "", ...of });

  /** What a hand decides of one that was drawn. */
  function decide(number: number, kept: boolean): void {
    void edit(`${kept ? "Keep" : "Drop"} ${number}`, [{ op: "add", path: `/decisions/${number}`, value: kept }]);
  }

  /** Draw anew; the set comes back with what was drawn. */
  const draw = () => start("draw", true);
  const handOver = () => start("hand-over", false);

  const addressOf = (one: VariationShown) => `${told.value?.made ?? ""}/${one.number}`;
  const heard = (one: VariationShown) => live.listeningTo === addressOf(one);
  /** Hear one as loud as it is handed over. */
  function hear(one: VariationShown): void {
    chosenNumber.value = one.number;
    if (heard(one)) live.hush();
    else live.listenToVariation(addressOf(one), one.gain);
  }

  return { ...made, drawn, chosen, chosenNumber, drawing, handing, create, decide, draw, handOver, heard, hear };
});
