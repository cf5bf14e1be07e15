import { defineStore } from "pinia";
import { computed, ref, watch } from "vue";

import type { Sampled, SampleSet, SamplesMade, SamplesRevision } from "../api/types";
import { useMadeSet } from "../composables/madeSet";
import { useLive } from "./live";

/** The set of samples in hand: what is asked, what was sampled, and its hand-over. */
export const useSamples = defineStore("samples", () => {
  const live = useLive();
  const chosenNumber = ref<number | null>(null);
  const set = useMadeSet<SampleSet, SamplesRevision, SamplesMade>("/api/samples", "made", "sample");
  const { told, start, jobOf } = set;

  const notes = computed<Sampled[]>(() => told.value?.notes ?? []);
  const chosen = computed(() => notes.value.find((one) => one.number === chosenNumber.value) ?? null);
  const sampling = computed(() => jobOf("make"));
  const handing = computed(() => jobOf("hand-over"));
  watch(set.id, () => (chosenNumber.value = null));

  const create = (instrument: number) => set.create({ instrument, name: "" });
  const make = () => start("make", true);
  const handOver = () => start("hand-over", false);

  const addressOf = (one: Sampled) => `${told.value?.made ?? ""}/${one.number}`;
  const heard = (one: Sampled, looped = false) => live.listeningTo === `${addressOf(one)}${looped ? " loop" : ""}`;
  /** Hear a sample as it was played, or its loop over and over. */
  function hear(one: Sampled, looped = false): void {
    chosenNumber.value = one.number;
    if (heard(one, looped)) return live.hush();
    const loop = one.loop && { start: one.loop[0] / one.rate, end: one.loop[1] / one.rate };
    live.listenToSample(addressOf(one), looped ? loop : null);
  }

  return { ...set, notes, chosen, chosenNumber, sampling, handing, create, make, handOver, heard, hear };
});
