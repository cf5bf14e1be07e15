import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";

import { api, wanted } from "../api/client";
import type { SwapRow, SwapSheet } from "../api/types";
import { useJobs } from "./jobs";
import { useLive } from "./live";
import { useNotices } from "./notices";

export const MOST_SWAPPED = 24;
const at = (id: number) => ({ params: { path: { instrument_id: id } } });

/** The swap sheet of an instrument: it is tried on other recordings, which are ranked, heard and kept. */
export const useSwap = defineStore("swap", () => {
  const live = useLive();
  const jobs = useJobs();
  const instrument = ref<number | null>(null);
  const folder = ref<string | null>(null);
  const sheet = shallowRef<SwapSheet | null>(null);
  const chosenNumber = ref<number | null>(null);
  const jobId = ref<string | null>(null);
  /** Rows that were kept, and the instruments that they became. */
  const kept = ref<Record<number, number>>({});

  const job = computed(() => jobs.jobs.find((one) => one.id === jobId.value) ?? null);
  const rows = computed<SwapRow[]>(() => sheet.value?.rows ?? []);

  async function open(id: number): Promise<void> {
    if (instrument.value !== id) [sheet.value, folder.value, chosenNumber.value, jobId.value, kept.value] = [null, null, null, null, {}];
    instrument.value = id;
    try {
      const found = await wanted(api.GET("/api/instruments/{instrument_id}/swap", at(id)));
      if (instrument.value !== id) return;
      if (folder.value !== found.sheet) [chosenNumber.value, kept.value] = [null, {}];
      [folder.value, sheet.value] = [found.sheet, found.found];
    } catch (error) {
      useNotices().complain(error);
    }
  }

  jobs.onElsewhere(({ result }) => {
    if (result.sheet && instrument.value !== null) void open(instrument.value);
  });

  /** Try it on these recordings; the sheet comes back when it is made. */
  async function make(recordings: number[], key: number, seconds: number): Promise<void> {
    const id = instrument.value;
    if (id === null) return;
    try {
      const started = await wanted(api.POST("/api/instruments/{instrument_id}/swap", { ...at(id), body: { recordings, key, seconds } }));
      jobId.value = started.job;
      jobs.follow(started.job, async () => {
        if (instrument.value === id) await open(id);
      });
    } catch (error) {
      useNotices().complain(error);
    }
  }

  const addressOf = (one: SwapRow) => `${folder.value ?? ""}/${one.number}`;
  const heard = (one: SwapRow) => live.listeningTo === addressOf(one);
  function hear(one: SwapRow): void {
    chosenNumber.value = one.number;
    if (heard(one)) live.hush();
    else live.listenToSwap(addressOf(one));
  }

  /** Keep one as an instrument of its own; gives its number. */
  async function keep(one: SwapRow): Promise<number | null> {
    if (!folder.value) return null;
    try {
      const path = { sheet: folder.value, number: one.number };
      const made = await wanted(api.POST("/api/swaps/{sheet}/{number}/keep", { params: { path } }));
      kept.value = { ...kept.value, [one.number]: made.id };
      useNotices().say(`'${made.document.name}' is kept among the instruments.`);
      return made.id;
    } catch (error) {
      useNotices().complain(error);
      return null;
    }
  }

  return { instrument, sheet, rows, chosenNumber, job, kept, open, make, heard, hear, keep };
});
