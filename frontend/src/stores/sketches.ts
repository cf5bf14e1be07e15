import { promiseTimeout } from "@vueuse/core";
import { defineStore } from "pinia";
import { shallowRef } from "vue";

import { api, wanted } from "../api/client";
import type { InstrumentLine } from "../api/types";
import type { Sketch } from "../charts/SketchPicture.vue";
import { useJobs } from "./jobs";
import { useNotices } from "./notices";

const LOOK_EVERY_MS = 1_000;

/** What instruments sound like, small; each is asked for once a revision. */
export const useSketches = defineStore("sketches", () => {
  const found = shallowRef(new Map<string, Sketch>());
  const mute = shallowRef(new Set<string>());
  const asked = new Set<string>();
  const keyOf = ({ id, revision }: InstrumentLine) => `${id}-${revision}`;

  async function take(one: InstrumentLine): Promise<void> {
    const answer = await fetch(`/api/instruments/${one.id}/sketch`).catch(() => null);
    if (!answer?.ok) return;
    const [rows, columns] = answer.headers.get("X-Shape")!.split(",").map(Number) as [number, number];
    const bytes = new Uint8Array(await answer.arrayBuffer());
    found.value = new Map(found.value).set(keyOf(one), { rows, columns, bytes });
  }

  /** Have those that are missing made, and take what there is. */
  async function want(lines: InstrumentLine[]): Promise<void> {
    const fresh = lines.filter((one) => !asked.has(keyOf(one)));
    if (!fresh.length) return;
    for (const one of fresh) asked.add(keyOf(one));
    try {
      const body = { instruments: fresh.map(({ id }) => id) };
      const { job } = await wanted(api.POST("/api/instruments/sketches", { body }));
      let making = job !== null;
      if (job)
        void useJobs()
          .ended(job)
          .finally(() => (making = false));
      // those that were there already are shown at once, each of the others as it is made
      await Promise.all(fresh.map(take));
      while (making) {
        await promiseTimeout(LOOK_EVERY_MS);
        await Promise.all(fresh.filter((one) => !found.value.has(keyOf(one))).map(take));
      }
      mute.value = new Set([...mute.value, ...fresh.map(keyOf).filter((key) => !found.value.has(key))]);
    } catch (error) {
      useNotices().complain(error);
    }
  }

  const of = (one: InstrumentLine) => found.value.get(keyOf(one));
  /** Whether there is none to come: it has nothing that can sound. */
  const cannot = (one: InstrumentLine) => mute.value.has(keyOf(one));

  return { want, of, cannot };
});
