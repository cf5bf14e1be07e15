import { defineStore } from "pinia";
import { ref } from "vue";

import { api, wanted } from "../api/client";
import { noteName } from "../theme/words";
import { useField } from "./field";
import { useInstrument } from "./instrument";
import { useJobs } from "./jobs";
import { useLive } from "./live";
import { useNotices } from "./notices";

const SECONDS = 6;

/** Notes of an instrument as sounds of their own, back in its layers. */
export const usePrints = defineStore("prints", () => {
  const instrument = useInstrument();
  const jobs = useJobs();
  const notices = useNotices();
  const printing = ref(false);

  /** Put a finished render on the shelf; gives its recording, null where it did not come to that. */
  async function keep(render: string): Promise<number | null> {
    try {
      const { job } = await wanted(api.POST("/api/jobs/{job_id}/keep", { params: { path: { job_id: render } } }));
      const done = await jobs.ended(job);
      if (done.state === "failed") notices.complain(done.error);
      await useField().load();
      return done.state === "done" ? (done.result.recording ?? null) : null;
    } catch (error) {
      notices.complain(error);
      return null;
    }
  }

  /** A recording as a layer that plays it once; the layer is chosen. */
  async function asLayer(recording: number): Promise<void> {
    if (!(await instrument.act({ do: "print", recording }))) return;
    instrument.layerIndex = instrument.document!.layers.length - 1;
    notices.tell(`'${instrument.layer!.name}' is a layer now.`, { word: "Undo", take: () => void instrument.step("undo") });
  }

  /** Render the chord that is held, or the root of the chosen layer; level it, find its loop, and add it as a layer. */
  async function print(): Promise<void> {
    const of = instrument.id!;
    // the chord that is held now, else the root of the chosen layer
    const held = useLive().look.notes.map(([, pitch]) => Math.round(pitch));
    const keys = [...new Set(held.length ? held : [Math.round(instrument.layer?.sounds[0]?.root ?? 60)])].sort((a, b) => a - b);
    const [key, ...more] = keys as [number, ...number[]];
    const title = `${instrument.document!.name}, ${keys.map((one) => noteName(one)).join(" ")}`.slice(0, 120);
    printing.value = true;
    try {
      const body = { key, keys: more, printed: true, seconds: SECONDS, velocity: 0.8, format: "wav24" as const, title };
      const asked = api.POST("/api/instruments/{instrument_id}/render", { params: { path: { instrument_id: of } }, body });
      const done = await jobs.ended((await wanted(asked)).job);
      if (done.state === "failed") notices.complain(done.error);
      const recording = done.state === "done" ? await keep(done.id) : null;
      if (recording !== null && instrument.id === of) await asLayer(recording);
    } catch (error) {
      notices.complain(error);
    } finally {
      printing.value = false;
    }
  }

  return { printing, keep, asLayer, print };
});
