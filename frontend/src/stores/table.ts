import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";

import { api, wanted } from "../api/client";
import { revisedAt } from "../api/revised";
import {
  type Declared,
  isChoice,
  type NewTable,
  type Parameter,
  type Recording,
  type TableDocument,
  type TableFrame,
  type TableMade,
  type TableRevision,
  type TableWords,
} from "../api/types";
import { type TablePicture, unpacked } from "../charts/tables";
import { useRevisions } from "../composables/revisions";
import { useBench } from "./bench";
import { useLive } from "./live";
import { entered, returnStrip, useMaking } from "./materials";
import { useNotices } from "./notices";

const URL = "/api/recordings/{recording_id}/table";
const at = (id: number) => ({ params: { path: { recording_id: id } } });

/** The wavetable on the Bench: its recipe with revisions, its pictures, and hearing it. */
export const useTable = defineStore("table", () => {
  const recording = ref<Recording | null>(null);
  const words = shallowRef<TableWords | null>(null);
  const made = shallowRef<TableMade | null>(null);
  const picture = shallowRef<TablePicture | null>(null);
  const frame = shallowRef<TableFrame | null>(null);
  /** Where in the table is looked and played, 0..1. */
  const place = ref(0);
  let frameAsked = 0;

  const making = useMaking<TableMade>(
    () => wanted(api.POST(`${URL}/make`, at(recording.value!.id))),
    (next) => void see(next),
  );
  // made of what is stored
  const revisions = useRevisions(
    revisedAt<TableDocument, TableRevision>(
      (id) => `/api/recordings/${id}/table`,
      () => void (revisions.saving.value || making.make()),
    ),
  );
  const document = revisions.shown;
  const undoLabel = computed(() => revisions.base.value?.undo ?? null);
  const redoLabel = computed(() => revisions.base.value?.redo ?? null);
  const source = computed(() => document.value?.source ?? null);
  const chosen = computed(() => Math.round(place.value * Math.max(0, (made.value?.frames ?? 1) - 1)));

  async function open(id: number): Promise<boolean> {
    try {
      words.value ??= await wanted(api.GET("/api/tables/words"));
      const found = await wanted(api.GET("/api/recordings/{recording_id}", at(id)));
      const revision = await wanted(api.GET(URL, at(id)));
      recording.value = found;
      made.value = picture.value = frame.value = null;
      place.value = 0;
      revisions.open(revision);
      useBench().remember(id);
      return true;
    } catch (error) {
      useNotices().complain(error);
      return false;
    }
  }

  async function see(next: TableMade): Promise<void> {
    const same = next.key === made.value?.key;
    made.value = next;
    if (same && picture.value) return;
    try {
      const found = await wanted(api.GET("/api/tables/{key}/picture", { params: { path: { key: next.key } } }));
      if (made.value !== next) return;
      picture.value = unpacked(found);
      await Promise.all([look(), audition()]);
    } catch (error) {
      useNotices().complain(error);
    }
  }

  /** The chosen frame in detail. */
  async function look(): Promise<void> {
    const now = made.value;
    if (!now) return;
    const number = ++frameAsked;
    const path = { key: now.key, number: chosen.value };
    const found = await wanted(api.GET("/api/tables/{key}/frames/{number}", { params: { path } }));
    if (number === frameAsked) frame.value = found;
  }

  /** Let the play strip sound this table, its position under the finger and the mod wheel. */
  async function audition(): Promise<void> {
    const now = made.value;
    if (!now || !recording.value) return;
    const params = { ...at(recording.value.id).params, query: { place: place.value } };
    const playable = await wanted(api.GET("/api/recordings/{recording_id}/table/audition", { params }));
    if (made.value === now) useLive().borrow(playable);
  }

  function leave(): void {
    recording.value = null;
    made.value = null;
    making.drop();
    revisions.close();
    returnStrip();
  }

  function scrub(to: number): void {
    const held = Math.min(1, Math.max(0, to));
    const before = chosen.value;
    place.value = held;
    useLive().tell({ do: "set", owner: "l1", parameter: "frame", value: 100 * held });
    if (chosen.value !== before) void look();
  }

  /** Change the recipe, at once and as a revision. */
  function edit(label: string, change: (document: TableDocument) => void): Promise<boolean> {
    return revisions.edit(label, change);
  }

  /** Show a value as it is dragged, without storing it. */
  function move(pointer: string, value: number): void {
    revisions.drag(pointer, value);
  }

  function split(): Promise<boolean> {
    const of = recording.value!.id;
    const place = Math.max(1, chosen.value);
    return revisions.ask("Split", (revision) => wanted(api.POST(`${URL}/split`, { ...at(of), body: { at: place, revision } })));
  }

  /** Make a wavetable and put it on the shelf; gives its id. */
  async function make(asked: Partial<NewTable>): Promise<number | null> {
    const body = { name: "", recordings: [], cycles: false, cycle: null, document: null, ...asked };
    return entered(() => wanted(api.POST("/api/tables", { body })));
  }

  async function keep(name: string): Promise<number | null> {
    await revisions.settled();
    return entered(() => wanted(api.POST(`${URL}/keep`, { ...at(recording.value!.id), body: { name } })));
  }

  return {
    recording,
    words,
    made,
    picture,
    frame,
    place,
    working: making.working,
    problem: making.problem,
    document,
    undoLabel,
    redoLabel,
    source,
    chosen,
    open,
    leave,
    look,
    scrub,
    edit,
    move,
    back: revisions.step,
    split,
    make,
    keep,
    audition,
  };
});

/** A setting in words, as a step or an operator is summed up. */
export function said(declared: Declared, value: unknown, spoken: (p: Parameter, value: number) => string): string {
  return isChoice(declared) ? String(value) : spoken(declared, Number(value));
}
