import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";

import { api, type Declared, isChoice, type Parameter, type Recording, type Value, wanted } from "../api/client";
import type { components } from "../api/schema";
import { type TablePicture, unpacked } from "../charts/tables";
import { useBench } from "./bench";
import { useInstrument } from "./instrument";
import { useJobs } from "./jobs";
import { useLive } from "./live";
import { entered, turns } from "./materials";
import { useNotices } from "./notices";

type TableState = components["schemas"]["TableOut"];
export type TableMade = NonNullable<TableState["made"]>;
export type TableFrame = components["schemas"]["FrameOut"];
export type Fields = Record<string, unknown>;
export interface TableStep extends Fields {
  do: string;
}
export interface Operator extends Fields {
  id: string;
  wave: string;
  harmonic: number;
  start: number;
  end: number;
  into: string | null;
}
export interface TableSource extends Fields {
  kind: "recording" | "waves" | "cycles";
}
export interface TableDocument extends Fields {
  name: string;
  source: TableSource;
  steps: TableStep[];
}
interface Words {
  cycle: number;
  recording: Declared[];
  waves: Declared[];
  operator: Declared[];
  steps: { id: string; name: string; help: string; parameters: Declared[] }[];
}

/** The wavetable on the Bench: its recipe with revisions, its pictures, and hearing it. */
export const useTable = defineStore("table", () => {
  const recording = ref<Recording | null>(null);
  const state = ref<TableState | null>(null);
  const words = shallowRef<Words | null>(null);
  const made = ref<TableMade | null>(null);
  const picture = shallowRef<TablePicture | null>(null);
  const frame = shallowRef<TableFrame | null>(null);
  /** Where in the table is looked and played, 0..1. */
  const place = ref(0);
  const working = ref<string | null>(null);
  const problem = ref("");
  let frameAsked = 0;

  const document = computed(() => (state.value?.document ?? null) as TableDocument | null);
  const source = computed(() => document.value?.source ?? null);
  const chosen = computed(() => Math.round(place.value * Math.max(0, (made.value?.frames ?? 1) - 1)));
  const path = () => ({ recording_id: recording.value!.id });

  async function open(id: number): Promise<boolean> {
    try {
      const params = { path: { recording_id: id } };
      words.value ??= (await wanted(api.GET("/api/tables/words"))) as unknown as Words;
      recording.value = await wanted(api.GET("/api/recordings/{recording_id}", { params }));
      made.value = picture.value = frame.value = null;
      place.value = 0;
      await show(await wanted(api.GET("/api/recordings/{recording_id}/table", { params })));
      useBench().remember(id);
      return true;
    } catch (error) {
      useNotices().complain(error);
      return false;
    }
  }

  /** What came back: shown at once, or as soon as a job has made it. */
  async function show(next: TableState): Promise<void> {
    state.value = next;
    problem.value = next.problem;
    if (next.made) return see(next.made);
    if (!next.job) return;
    working.value = next.job;
    const job = await useJobs().ended(next.job);
    if (working.value !== next.job) return;
    working.value = null;
    if (job.state === "failed") problem.value = job.error;
    else if (job.state === "cancelled") problem.value = "Stopped: change something or undo, and it is made again.";
    else await show(await wanted(api.GET("/api/recordings/{recording_id}/table", { params: { path: path() } })));
  }

  async function see(next: TableMade): Promise<void> {
    const same = next.key === made.value?.key;
    made.value = next;
    if (same && picture.value) return;
    const found = await wanted(api.GET("/api/tables/{key}/picture", { params: { path: { key: next.key } } }));
    picture.value = unpacked(found);
    await look();
    audition();
  }

  /** The chosen frame in detail. */
  async function look(): Promise<void> {
    const now = made.value;
    if (!now) return;
    const number = ++frameAsked;
    const found = await wanted(api.GET("/api/tables/{key}/frames/{number}", { params: { path: { key: now.key, number: chosen.value } } }));
    if (number === frameAsked) frame.value = found;
  }

  /** Let the play strip sound this table, its position under the finger and the mod wheel. */
  function audition(): void {
    if (!made.value) return;
    const move = { target: "l1", parameter: "frame", rise: 20, fall: 20 };
    const layer = {
      id: "l1", name: document.value!.name, kind: "wave", petal: "iris", sounds: [{ recording: made.value.key, cycle: words.value!.cycle }],
      settings: { shape: "table", frame: 100 * place.value, attack: 5, release: 300 },
    };
    const routes = [
      { ...move, id: "r1", source: "slide", depth: 100 },
      { ...move, id: "r2", source: "wheel", depth: 100 },
      { id: "r3", source: "velocity", target: "l1", parameter: "level", depth: -12, polarity: "inverted" },
    ];
    useLive().borrow({ version: 4, name: document.value!.name, layers: [layer], routes });
  }

  function leave(): void {
    recording.value = null;
    state.value = null;
    made.value = null;
    const back = useInstrument().document;
    useLive().borrow(null, back ? JSON.parse(JSON.stringify(back)) : undefined);
  }

  function scrub(to: number): void {
    const held = Math.min(1, Math.max(0, to));
    const before = chosen.value;
    place.value = held;
    useLive().tell({ do: "set", owner: "l1", parameter: "frame", value: 100 * held });
    if (chosen.value !== before) void look();
  }

  const inTurn = turns(show);

  /** Store a changed recipe as a revision. */
  function edit(label: string, change: (document: TableDocument) => void): Promise<boolean> {
    return inTurn(() => {
      const next = JSON.parse(JSON.stringify(document.value)) as TableDocument;
      change(next);
      const body = { revision: state.value!.revision, document: next, label };
      return wanted(api.PATCH("/api/recordings/{recording_id}/table", { params: { path: path() }, body }));
    });
  }

  function back(way: "undo" | "redo"): Promise<boolean> {
    const params = { path: { ...path(), way } };
    return inTurn(() => wanted(api.POST("/api/recordings/{recording_id}/table/{way}", { params, body: { revision: state.value!.revision } })));
  }

  function split(): Promise<boolean> {
    const body = { at: Math.max(1, chosen.value) };
    return inTurn(() => wanted(api.POST("/api/recordings/{recording_id}/table/split", { params: { path: path() }, body })));
  }

  /** Make a wavetable and put it on the shelf; gives its id. */
  async function make(asked: Partial<components["schemas"]["NewTable"]>): Promise<number | null> {
    const body = { name: "", recordings: [], cycles: false, cycle: null, document: null, ...asked };
    return entered(() => wanted(api.POST("/api/tables", { body })));
  }

  async function keep(name: string): Promise<number | null> {
    return entered(() => wanted(api.POST("/api/recordings/{recording_id}/table/keep", { params: { path: path() }, body: { name } })));
  }

  return {
    recording, state, words, made, picture, frame, place, working, problem, document, source, chosen,
    open, leave, look, scrub, edit, back, split, make, keep, audition,
  };
});

/** A setting in words, as a step or an operator is summed up. */
export function said(declared: Declared, value: unknown, spoken: (p: Parameter, value: number) => string): string {
  return isChoice(declared) ? String(value) : spoken(declared, Number(value as Value));
}
