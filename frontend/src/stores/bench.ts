import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";

import { api, wanted } from "../api/client";
import { revisedAt } from "../api/revised";
import type { Recipe, RecipeRevision, Recording, Settings, Stage, Step, StepKind, Value } from "../api/types";
import { useRevisions } from "../composables/revisions";
import { useJobs } from "./jobs";
import { useNotices } from "./notices";

export type Face = "before" | "step" | "after";

const URL = "/api/recordings/{recording_id}/bench";
const at = (id: number) => ({ params: { path: { recording_id: id } } });

/** The sound on the Bench: its recipe with revisions, and what its steps make. */
export const useBench = defineStore("bench", () => {
  const kinds = shallowRef<StepKind[]>([]);
  const recording = ref<Recording | null>(null);
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
  let asked = 0;

  const revisions = useRevisions(
    revisedAt<Recipe, RecipeRevision>(
      (id) => `/api/recordings/${id}/bench`,
      (_, { steps }) => {
        chosen.value = Math.max(0, Math.min(chosen.value, steps.length - 1));
        // stages are made of what is stored
        if (!revisions.saving.value) void look();
      },
    ),
  );

  const steps = computed(() => revisions.shown.value?.steps ?? []);
  const sentences = computed(() => revisions.base.value?.sentences ?? []);
  const undoLabel = computed(() => revisions.base.value?.undo ?? null);
  const redoLabel = computed(() => revisions.base.value?.redo ?? null);
  const step = computed<Step | null>(() => steps.value[chosen.value] ?? null);
  const kindOf = (id: string) => kinds.value.find((kind) => kind.id === id);
  const kind = computed(() => (step.value ? kindOf(step.value.do) : undefined));

  async function open(id: number): Promise<boolean> {
    try {
      kinds.value = kinds.value.length ? kinds.value : (await wanted(api.GET("/api/bench/steps"))).kinds;
      const found = await wanted(api.GET("/api/recordings/{recording_id}", at(id)));
      const recipe = await wanted(api.GET(URL, at(id)));
      recording.value = found;
      chosen.value = 0;
      face.value = "step";
      stage.value = after.value = null;
      remember(id);
      revisions.open(recipe);
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

  /** What is being made of the steps is not wanted any more, or not for now. */
  function rest(): void {
    asked++;
    if (working.value) void useJobs().cancel(working.value);
    working.value = null;
  }

  /** Bring the picture's stage up to date, then what comes of all steps. */
  async function look(): Promise<void> {
    rest();
    const number = asked;
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
      const answer = await wanted(api.POST(`${URL}/stage`, { ...at(id), body: { upto: count } }));
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

  /** Store other steps as a revision; they are shown at once. */
  function store(next: readonly { do: string; [field: string]: unknown }[], label: string): Promise<boolean> {
    // the server completes and checks them
    return revisions.edit(label, (recipe) => (recipe.steps = next as Step[]));
  }

  /** Change values of one step. */
  function change(index: number, values: Record<string, Value | boolean>, label: string): Promise<boolean> {
    const patch = Object.entries(values).map(([id, value]) => ({ op: "replace" as const, path: `/steps/${index}/${id}`, value }));
    return revisions.change(label, patch);
  }

  /** Show values of a step as they are dragged, without storing them. */
  function move(index: number, values: Settings): void {
    for (const [id, value] of Object.entries(values)) revisions.drag(`/steps/${index}/${id}`, value);
  }

  /** Where a step of this kind belongs among others: after all that usually come before it. */
  function placeFor(id: string, among: readonly Step[] = steps.value): number {
    const order = (one: string) => kindOf(one)?.order ?? 0;
    return 1 + among.findLastIndex((one) => order(one.do) <= order(id));
  }

  /** Add a step where its kind belongs, among those of the others that stay. */
  async function add(id: string, values: Settings = {}, stays: (step: Step) => boolean = () => true): Promise<void> {
    const kept = steps.value.filter(stays);
    const place = placeFor(id, kept);
    const name = kindOf(id)?.name ?? id;
    const declared = kindOf(id)?.declared ?? [];
    const defaults = Object.fromEntries(declared.map((one) => [one.id, one.default]));
    const next: { do: string; [field: string]: unknown }[] = [...kept];
    next.splice(place, 0, { do: id, on: true, ...defaults, ...values });
    const added = store(next, `Add ${name}`);
    choose(place);
    await added;
  }

  /** Move a step to where its kind belongs. */
  function putInPlace(index: number): void {
    const moved = steps.value[index]!;
    const rest = steps.value.filter((_, i) => i !== index);
    rest.splice(placeFor(moved.do, rest), 0, moved);
    void store(rest, `Move ${kindOf(moved.do)?.name ?? moved.do}`);
  }

  /** Change the last step of this kind, added where it belongs if there is none yet. */
  async function withStep(id: string, values: Settings, label: string): Promise<void> {
    const index = steps.value.findLastIndex((one) => one.do === id);
    if (index < 0) await add(id, values);
    else {
      choose(index);
      await change(index, values, label);
    }
  }

  function remove(index: number): Promise<boolean> {
    const name = kindOf(steps.value[index]!.do)?.name ?? "";
    return store(
      steps.value.filter((_, i) => i !== index),
      `Remove ${name}`,
    );
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
    if (!revisions.saving.value) void look();
  }

  function turnTo(next: Face): void {
    face.value = next;
    void look();
  }

  /** Lay this recipe over other sounds. */
  async function copyTo(others: { id: number; name: string }[]): Promise<void> {
    const body = { recordings: others.map(({ id }) => id) };
    try {
      await revisions.settled();
      const { copied } = await wanted(api.POST(`${URL}/copy`, { ...at(recording.value!.id), body }));
      useNotices().say(copied === 1 ? `'${others[0]!.name}' has this recipe now.` : `${copied} recordings have this recipe now.`);
    } catch (error) {
      useNotices().complain(error);
    }
  }

  /** Keep the whole, or pieces of the recording, as materials. */
  async function keep(
    pieces: { name: string; start?: number; end?: number }[],
    done: (ids: number[], known: number[]) => void,
    together = false,
  ): Promise<void> {
    try {
      await revisions.settled();
      const body = { together, pieces: pieces.map((one) => ({ start: null, end: null, ...one })) };
      const { job } = await wanted(api.POST(`${URL}/keep`, { ...at(recording.value!.id), body }));
      useJobs().follow(job, ({ result }) => {
        for (const text of result.problems) useNotices().complain(text);
        done(result.recordings, result.known);
      });
    } catch (error) {
      useNotices().complain(error);
    }
  }

  return {
    kinds,
    recording,
    last,
    remember,
    steps,
    sentences,
    undoLabel,
    redoLabel,
    step,
    kind,
    kindOf,
    chosen,
    face,
    stage,
    ready,
    after,
    working,
    problem,
    open,
    look,
    rest,
    store,
    change,
    move,
    add,
    withStep,
    putInPlace,
    remove,
    reorder,
    choose,
    turnTo,
    back: revisions.step,
    copyTo,
    keep,
  };
});
