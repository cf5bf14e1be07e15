import { defineStore } from "pinia";

import { api, wanted } from "../api/client";
import type { components } from "../api/schema";
import type { RecordingEdit } from "../api/types";
import { useField } from "./field";
import { useJobs } from "./jobs";
import { useNotices } from "./notices";
import { useShelf } from "./shelf";

type Spread = NonNullable<components["schemas"]["GrowManyIn"]["spread"]>;
type Edits = components["schemas"]["ManyEdits"]["edits"];

const sounds = (count: number) => (count === 1 ? "1 sound" : `${count} sounds`);

/** What is done to several sounds of the shelf at once. */
export const useMany = defineStore("many", () => {
  const field = useField();
  const shelf = useShelf();
  const notices = useNotices();

  /** What was asked for, or null with a notice of why not. */
  async function tried<T>(asked: Promise<T>): Promise<T | null> {
    try {
      return await asked;
    } catch (error) {
      notices.complain(error);
      return null;
    }
  }

  /** One instrument that chooses among them; gives its id. */
  async function grow(recordings: number[], spread: Spread): Promise<number | null> {
    const made = await tried(wanted(api.POST("/api/recordings/instrument", { body: { recordings, spread } })));
    return made?.id ?? null;
  }

  /** Add them to a layer of an instrument as it is now; it can be undone there. */
  async function addTo(instrument: number, layer: number, recordings: number[]): Promise<boolean> {
    const path = { instrument_id: instrument };
    const now = await tried(wanted(api.GET("/api/instruments/{instrument_id}", { params: { path } })));
    if (!now) return false;
    const action = { do: "add sounds" as const, layer, recordings, revision: now.revision };
    return (await tried(wanted(api.POST("/api/instruments/{instrument_id}/layers", { params: { path }, body: { action } })))) !== null;
  }

  const sendEdits = (edits: Edits) => wanted(api.PATCH("/api/recordings", { body: { edits } }));

  async function edit(edits: Edits, words: string): Promise<void> {
    const before = await tried(sendEdits(edits));
    await field.load();
    if (!before) return;
    field.undoable(words, async () => (await sendEdits(before.edits), field.load()));
  }

  /** The same place, date, recordist, licence or notes for all. */
  const describe = (recordings: number[], change: RecordingEdit) =>
    edit(
      recordings.map((recording) => ({ recording, ...change })),
      `${sounds(recordings.length)} described anew.`,
    );

  const names = (recordings: number[], template: string, begin: number) =>
    wanted(api.POST("/api/recordings/names", { body: { recordings, template, begin } })).then((answer) => answer.names);

  const rename = (recordings: number[], all: string[]) =>
    edit(
      recordings.map((recording, i) => ({ recording, name: all[i]! })),
      `${sounds(recordings.length)} named anew.`,
    );

  /** The recipe of one laid over the others; with `keep`, what it makes of each is put on the shelf. */
  async function useRecipe(of: number, recordings: number[], keep: boolean): Promise<void> {
    const path = { recording_id: of };
    const copied = await tried(wanted(api.POST("/api/recordings/{recording_id}/bench/copy", { params: { path }, body: { recordings } })));
    if (!copied) return;
    notices.say(`${sounds(recordings.length)} now ${recordings.length === 1 ? "has" : "have"} this recipe.`);
    if (keep) await Promise.all(recordings.map(keepOne));
  }

  async function keepOne(recording: number): Promise<void> {
    const pieces = [{ name: `${shelf.byId.get(recording)?.name ?? "sound"}, material` }];
    const asked = api.POST("/api/recordings/{recording_id}/bench/keep", {
      params: { path: { recording_id: recording } },
      body: { pieces },
    });
    const started = await tried(wanted(asked));
    if (started) useJobs().follow(started.job, () => field.load());
  }

  return { grow, addTo, describe, names, rename, useRecipe };
});
