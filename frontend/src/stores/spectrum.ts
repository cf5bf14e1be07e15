import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";

import { api, type Declared, type Recording, wanted } from "../api/client";
import type { components } from "../api/schema";
import { useBench } from "./bench";
import { type Sound, useInstrument } from "./instrument";
import { useJobs } from "./jobs";
import { useLive } from "./live";
import { entered, turns } from "./materials";
import { useNotices } from "./notices";

type SpectrumState = components["schemas"]["SpectrumOut"];
export type SpectrumMade = NonNullable<SpectrumState["made"]>;
export type SpectrumPicture = components["schemas"]["SpectrumPicture"];
export interface SpectrumDocument extends Record<string, unknown> {
  name: string;
  sound: Sound;
}

/** The spectrum on the Bench: its settings with revisions, its picture, and hearing its parts. */
export const useSpectrum = defineStore("spectrum", () => {
  const recording = ref<Recording | null>(null);
  const state = ref<SpectrumState | null>(null);
  const words = shallowRef<Declared[]>([]);
  const made = ref<SpectrumMade | null>(null);
  const picture = shallowRef<SpectrumPicture | null>(null);
  const working = ref<string | null>(null);
  const problem = ref("");

  const document = computed(() => (state.value?.document ?? null) as SpectrumDocument | null);
  const path = () => ({ recording_id: recording.value!.id });

  async function open(id: number): Promise<boolean> {
    try {
      const params = { path: { recording_id: id } };
      words.value = (await wanted(api.GET("/api/spectra/words"))).settings as unknown as Declared[];
      recording.value = await wanted(api.GET("/api/recordings/{recording_id}", { params }));
      made.value = picture.value = null;
      void show(await wanted(api.GET("/api/recordings/{recording_id}/spectrum", { params })));
      useBench().remember(id);
      return true;
    } catch (error) {
      useNotices().complain(error);
      return false;
    }
  }

  /** What came back: shown at once, or as soon as a job has made it. */
  async function show(next: SpectrumState): Promise<void> {
    state.value = next;
    problem.value = "";
    working.value = next.made ? null : next.job;
    if (next.made) return see(next.made);
    if (!next.job) return;
    const job = await useJobs().ended(next.job);
    if (working.value !== next.job || !recording.value) return;
    working.value = null;
    if (job.state === "failed") problem.value = job.error;
    else if (job.state === "cancelled") problem.value = "Stopped: change a setting or undo, and it is taken again.";
    else await show(await wanted(api.GET("/api/recordings/{recording_id}/spectrum", { params: { path: path() } })));
  }

  async function see(next: SpectrumMade): Promise<void> {
    made.value = next;
    picture.value = (await wanted(api.GET("/api/spectra/{key}/picture", { params: { path: { key: next.key } } }))) as unknown as SpectrumPicture;
    audition();
  }

  /** Let the play strip sound this spectrum: the mod wheel slows it, a finger's height moves its formants. */
  function audition(): void {
    if (!document.value) return;
    // plain data: what Vue watches cannot be sent to a worker
    const sound = JSON.parse(JSON.stringify(document.value.sound)) as Sound;
    const layer = {
      id: "l1", name: document.value.name, kind: "spectral", petal: "moss", sounds: [sound],
      settings: { attack: 5, release: 500, at_end: "loop", loop_blend: 30 },
    };
    const eased = { target: "l1", rise: 40, fall: 40 };
    const routes = [
      { ...eased, id: "r1", source: "wheel", parameter: "speed", depth: -1 },
      { ...eased, id: "r2", source: "slide", parameter: "formant_shift", depth: 12 },
    ];
    useLive().borrow({ version: 4, name: document.value.name, layers: [layer], routes });
  }

  function leave(): void {
    recording.value = null;
    state.value = null;
    made.value = null;
    working.value = null;
    const back = useInstrument().document;
    useLive().borrow(null, back ? JSON.parse(JSON.stringify(back)) : undefined);
  }

  // what is shown may take a job: the next change need not wait for it
  const inTurn = turns((next: SpectrumState) => void show(next));

  /** Store changed settings as a revision. */
  function edit(label: string, change: (document: SpectrumDocument) => void): Promise<boolean> {
    return inTurn(() => {
      const next = JSON.parse(JSON.stringify(document.value)) as SpectrumDocument;
      change(next);
      const body = { revision: state.value!.revision, document: next, label };
      return wanted(api.PATCH("/api/recordings/{recording_id}/spectrum", { params: { path: path() }, body }));
    });
  }

  function back(way: "undo" | "redo"): Promise<boolean> {
    const params = { path: { ...path(), way } };
    return inTurn(() => wanted(api.POST("/api/recordings/{recording_id}/spectrum/{way}", { params, body: { revision: state.value!.revision } })));
  }

  /** Take a recording apart and put its spectrum on the shelf; gives its id. */
  async function make(id: number): Promise<number | null> {
    return entered(() => wanted(api.POST("/api/spectra", { body: { recording: id, name: "" } })));
  }

  async function keep(name: string): Promise<number | null> {
    return entered(() => wanted(api.POST("/api/recordings/{recording_id}/spectrum/keep", { params: { path: path() }, body: { name } })));
  }

  return { recording, state, words, made, picture, working, problem, document, open, leave, edit, back, make, keep };
});
