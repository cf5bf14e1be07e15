import { defineStore } from "pinia";
import { computed, ref } from "vue";

import { api, type Recording, type Sheet, type Stage, type StepKind, wanted } from "../api/client";
import { useJobs } from "./jobs";
import { useNotices } from "./notices";

export type Face = "before" | "step" | "after";

/** A step as it is written in a recipe. */
export interface Step {
  do: string;
  on: boolean;
  [name: string]: unknown;
}

/** The sound on the Bench: its recipe with revisions, and what its steps make. */
export const useBench = defineStore("bench", () => {
  const kinds = ref<StepKind[]>([]);
  const recording = ref<Recording | null>(null);
  const sheet = ref<Sheet | null>(null);
  /** What was last on the bench, a recording or a wavetable; kept for the next visit. */
  const last = ref<number | null>(null);
  const chosen = ref(0);
  const face = ref<Face>("step");
  const stage = ref<Stage | null>(null);
  /** Whether the stage shown is the one that is wanted; not while that is being made. */
  const ready = ref(false);
  const after = ref<Stage | null>(null);
  const working = ref<string | null>(null);
  const problem = ref("");
  let turn: Promise<unknown> = Promise.resolve();
  let asked = 0;
  let pending = 0;

  const steps = computed(() => (sheet.value?.steps ?? []) as Step[]);
  const step = computed(() => steps.value[chosen.value] ?? null);
  const kindOf = (id: string) => kinds.value.find((kind) => kind.id === id);
  const kind = computed(() => (step.value ? kindOf(step.value.do) : undefined));
  const path = () => ({ recording_id: recording.value!.id });

  async function open(id: number): Promise<boolean> {
    try {
      kinds.value = kinds.value.length ? kinds.value : ((await wanted(api.GET("/api/bench/steps"))).kinds as StepKind[]);
      const params = { path: { recording_id: id } };
      const found = await wanted(api.GET("/api/recordings/{recording_id}", { params }));
      sheet.value = await wanted(api.GET("/api/recordings/{recording_id}/bench", { params }));
      recording.value = found;
      chosen.value = 0;
      face.value = "step";
      stage.value = after.value = null;
      remember(id);
      void look();
      return true;
    } catch (error) {
      useNotices().complain(error);
      return false;
    }
  }

  function remember(id: number): void {
    last.value = id;
    localStorage.setItem("bloom-bench", String(id));
  }

  /** How many steps the picture has behind it. */
  function upto(): number {
    if (face.value === "before") return 0;
    return face.value === "after" ? steps.value.length : Math.min(chosen.value, steps.value.length);
  }

  /** Bring the picture's stage up to date, then what comes of all steps. */
  async function look(): Promise<void> {
    const number = ++asked;
    // what was being made for an earlier recipe is not wanted any more
    if (working.value) void useJobs().cancel(working.value);
    working.value = null;
    const wantedSteps = upto();
    const found = await stageAfter(wantedSteps, number, () => (ready.value = false));
    if (number !== asked) return;
    ready.value = found !== null;
    if (found) stage.value = found;
    else if (!stage.value) stage.value = await stageAfter(0, number);
    if (wantedSteps === steps.value.length && found) after.value = found;
    else {
      const last = await stageAfter(steps.value.length, number);
      if (number === asked) after.value = last;
    }
  }

  async function stageAfter(count: number, number: number, waits = () => {}): Promise<Stage | null> {
    const id = recording.value?.id;
    if (!id) return null;
    try {
      const ask = api.POST("/api/recordings/{recording_id}/bench/stage", { params: { path: path() }, body: { upto: count } });
      const answer = await wanted(ask);
      if (number !== asked) return null;
      problem.value = "";
      if (answer.stage) return answer.stage;
      working.value = answer.job!;
      waits();
      // something to look at meanwhile
      if (!stage.value && count) void stageAfter(0, number).then((whole) => number === asked && (stage.value ??= whole));
      const job = await useJobs().ended(answer.job!);
      if (working.value === answer.job) working.value = null;
      if (job.state === "failed") problem.value = job.error;
      if (job.state !== "done") return null;
      return await wanted(api.GET("/api/stages/{key}", { params: { path: { key: answer.key } } }));
    } catch (error) {
      if (number === asked) problem.value = error instanceof Error ? error.message : String(error);
      return null;
    }
  }

  /** Do one thing after another; what comes back is shown once nothing newer is on its way. */
  function inTurn(work: () => Promise<Sheet>): Promise<unknown> {
    pending += 1;
    turn = turn.then(async () => {
      try {
        const found = await work();
        pending -= 1;
        if (pending === 0) show(found);
        else if (sheet.value?.recording === found.recording) sheet.value = { ...found, steps: sheet.value.steps };
      } catch (error) {
        pending -= 1;
        useNotices().complain(error);
        if (!recording.value) return;
        const asking = api.GET("/api/recordings/{recording_id}/bench", { params: { path: path() } });
        await wanted(asking).then(show, () => undefined);
      }
    });
    return turn;
  }

  function show(found: Sheet): void {
    if (found.recording !== recording.value?.id) return;
    sheet.value = found;
    chosen.value = Math.max(0, Math.min(chosen.value, found.steps.length - 1));
    void look();
  }

  /** Store other steps as a revision. */
  function store(next: Step[], label: string): Promise<unknown> {
    if (!sheet.value || !recording.value) return turn;
    // shown at once, so that the next change begins from it
    sheet.value = { ...sheet.value, steps: next as never };
    const params = { path: path() };
    return inTurn(() =>
      wanted(
        api.PATCH("/api/recordings/{recording_id}/bench", {
          params,
          body: { revision: sheet.value!.revision, steps: next as never, label },
        }),
      ),
    );
  }

  /** Change values of one step. */
  function change(index: number, values: Record<string, unknown>, label: string): Promise<unknown> {
    return store(steps.value.map((one, i) => (i === index ? { ...one, ...values } : one)), label);
  }

  /** Show values of a step as they are dragged, without storing them. */
  function move(index: number, values: Record<string, unknown>): void {
    if (sheet.value) Object.assign(sheet.value.steps[index]!, values);
  }

  async function add(id: string, values: Record<string, unknown> = {}): Promise<void> {
    const at = steps.value.length;
    await store([...steps.value, { do: id, on: true, ...values }], `Add ${kindOf(id)?.name ?? id}`);
    choose(at);
  }

  /** The place of a step of this kind, added at the end if there is none yet. */
  async function withStep(id: string, values: Record<string, unknown>, label: string): Promise<void> {
    const index = steps.value.findIndex((one) => one.do === id);
    if (index < 0) await add(id, values);
    else {
      await change(index, values, label);
      choose(index);
    }
  }

  function remove(index: number): Promise<unknown> {
    const name = kindOf(steps.value[index]!.do)?.name ?? "";
    return store(steps.value.filter((_, i) => i !== index), `Remove ${name}`);
  }

  function reorder(from: number, to: number): void {
    if (to < 0 || to >= steps.value.length) return;
    const next = [...steps.value];
    next.splice(to, 0, ...next.splice(from, 1));
    chosen.value = to;
    void store(next, "Reorder");
  }

  function choose(index: number): void {
    chosen.value = index;
    face.value = "step";
    void look();
  }

  function turnTo(next: Face): void {
    face.value = next;
    void look();
  }

  function back(way: "undo" | "redo"): void {
    const url = "/api/recordings/{recording_id}/bench/{way}";
    const params = { path: { ...path(), way } };
    void inTurn(() => wanted(api.POST(url, { params, body: { revision: sheet.value!.revision } })));
  }

  /** Lay this recipe over other sounds. */
  async function copyTo(others: Recording[]): Promise<void> {
    const body = { recordings: others.map(({ id }) => id) };
    try {
      await turn;
      const ask = api.POST("/api/recordings/{recording_id}/bench/copy", { params: { path: path() }, body });
      const { copied } = await wanted(ask);
      useNotices().say(copied === 1 ? `'${others[0]!.name}' has this recipe now.` : `${copied} recordings have this recipe now.`);
    } catch (error) {
      useNotices().complain(error);
    }
  }

  /** Keep the whole, or pieces of the recording, as materials. */
  async function keep(pieces: { name: string; start?: number; end?: number }[], done: (ids: number[]) => void): Promise<void> {
    try {
      await turn;
      const ask = api.POST("/api/recordings/{recording_id}/bench/keep", { params: { path: path() }, body: { pieces: pieces.map((one) => ({ start: null, end: null, ...one })) } });
      useJobs().follow((await wanted(ask)).job, (job) => {
        for (const text of (job.result.problems as string[]) ?? []) useNotices().complain(text);
        done(job.result.recordings as number[]);
      });
    } catch (error) {
      useNotices().complain(error);
    }
  }

  return {
    kinds, recording, last, remember, sheet, steps, step, kind, kindOf, chosen, face, stage, ready, after, working, problem,
    open, look, store, change, move, add, withStep, remove, reorder, choose, turnTo, back, copyTo, keep,
  };
});
