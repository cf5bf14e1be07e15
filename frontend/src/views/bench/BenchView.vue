<script setup lang="ts">
/** Bench: what in this recording can I use? */
import { useLocalStorage } from "@vueuse/core";
import { computed, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";

import { api, wanted } from "../../api/client";
import { type LoopFound, number } from "../../api/types";
import ExportDialog from "../../controls/ExportDialog.vue";
import Segments from "../../controls/Segments.vue";
import { useBench } from "../../stores/bench";
import { useShortcuts } from "../../frame/shortcuts";
import { useField } from "../../stores/field";
import { useShelf } from "../../stores/shelf";
import { useLive } from "../../stores/live";
import { useNotices } from "../../stores/notices";
import { usePieces } from "../../stores/pieces";
import { useProject } from "../../stores/project";
import { noteOf } from "../../theme/words";
import BenchHeader from "./BenchHeader.vue";
import CopyDialog from "./CopyDialog.vue";
import { useHearing } from "./hearing";
import KeepMaterial from "./KeepMaterial.vue";
import LoopsFound from "./LoopsFound.vue";
import MakeMore from "./MakeMore.vue";
import { marksOf, onRecording } from "./marks";
import NotesPanel from "./NotesPanel.vue";
import Overview from "./Overview.vue";
import type { Shown } from "./picture";
import { usePitchInView } from "./pitchInView";
import PictureSettings, { type Settings } from "./PictureSettings.vue";
import PiecesPanel from "./PiecesPanel.vue";
import RecipePanel from "./RecipePanel.vue";
import RootPanel from "./RootPanel.vue";
import SeamPanel from "./SeamPanel.vue";
import SoundPicture from "./SoundPicture.vue";
import WorkState from "./WorkState.vue";
import { useZoom } from "./zoom";

const route = useRoute();
const router = useRouter();
const bench = useBench();
const field = useField();
const shelf = useShelf();
const live = useLive();
const pieces = usePieces();
const project = useProject();
const settings = useLocalStorage<Settings>("bloom-bench-picture", { axis: "log", low: -95, high: -20, pitch: true });
const copying = ref(false);
const exporting = ref(false);
/** What the recipe makes; where it has no steps, that is the recording itself. */
const exportedStage = computed(() => (bench.after && bench.after.key !== bench.recording?.digest ? bench.after.key : null));
const keeping = ref<InstanceType<typeof KeepMaterial>>();
const seamPanel = ref<InstanceType<typeof SeamPanel>>();

/** What the picture shows: a stage, or the recording where a step or pieces lie on that. */
const stage = computed(() => {
  const one = bench.stage;
  if (!one || !bench.recording) return null;
  if (!pieces.open && !(bench.face === "step" && onRecording(bench.step))) return one;
  const m = bench.recording.measured;
  return { ...one, ...m, key: bench.recording.digest, frames: Math.round(m.duration_s * m.rate), loops: [], root_how: "found" };
});
const { view, look, whole } = useZoom(() => stage.value?.frames);
const { at: heardAt, isTone, listen, listenTone, turnTo } = useHearing(stage);
const duration = computed(() => stage.value?.duration_s ?? 0);
const shown = computed<Shown | null>(() =>
  stage.value ? { key: stage.value.key, frames: stage.value.frames, rate: stage.value.rate, ...view.value } : null,
);
const pitch = usePitchInView(shown);
const loudest = computed(() => 10 ** (Math.max(-50, stage.value?.peak_dbfs ?? 0) / 20));
const marks = computed(() =>
  bench.face === "step" && !pieces.open && (bench.ready || onRecording(bench.step)) ? marksOf(bench.step, duration.value) : null,
);
const isLoop = computed(() => bench.ready && bench.face === "step" && bench.step?.do === "loop" && !pieces.open);
const isNotes = computed(() => bench.ready && bench.face === "step" && bench.step?.do === "notes" && !pieces.open);
const currentLoop = computed(() =>
  isLoop.value ? { start: number(bench.step!, "start"), end: number(bench.step!, "end") || duration.value } : null,
);
/** A step that has to be shown a stretch before it does anything. */
const asks = computed(
  () => bench.face === "step" && !pieces.open && bench.step?.do === "denoise" && number(bench.step, "to") <= number(bench.step, "start"),
);
const subtitle = computed(() => {
  if (asks.value) return "the recording: where is nothing but noise?";
  if (pieces.open) return "the recording, in pieces";
  if (!bench.ready && bench.working) return "as it was, until the steps are done";
  if (bench.face === "before") return "as recorded";
  if (bench.face === "after") return "after all steps";
  return bench.chosen === 0 || onRecording(bench.step) ? "the recording" : `as it reaches step ${bench.chosen + 1}`;
});

watch(
  () => route.params.id,
  async (id) => {
    if (route.name !== "bench") return;
    if (!shelf.loaded) await shelf.load();
    const known = Number(id) || Number(localStorage.getItem("bloom-bench")) || field.chosenId;
    const found = shelf.byId.get(known ?? -1) ?? (id ? null : shelf.recordings[0]);
    if (!id && found) return void router.replace(`/bench/${found.id}`);
    if (id && Number(id) !== bench.recording?.id) {
      pieces.end();
      if (!(await bench.open(Number(id)))) await router.replace("/field");
    } else if (id) void bench.look();
  },
  { immediate: true },
);

// a new sound is shown whole; one that only changed keeps its place in view
let before = { key: "", frames: 0 };
watch(
  stage,
  (now) => {
    if (!now || now.key === before.key) return;
    if (now.frames !== before.frames) whole();
    before = { key: now.key, frames: now.frames };
  },
  { immediate: true },
);

// -- hearing -------------------------------------------------------------------

function toggleListening(): void {
  if (live.listeningTo) return live.hush();
  if (isLoop.value) return seamPanel.value?.listen();
  if (isTone.value) return listenTone();
  const first = marks.value?.keeps ? marks.value.edges[0]!.at : Math.max(0, view.value.from / (stage.value?.rate ?? 1));
  listen(first);
}

// -- changing ------------------------------------------------------------------

function drag(values: Record<string, number>): void {
  bench.move(bench.chosen, values);
  if (bench.step?.do === "tone" && live.listeningTo) listenTone();
}

function drop(values: Record<string, number>): void {
  if (!Object.keys(values).length) return;
  const name = bench.kind?.name ?? "";
  void bench.change(bench.chosen, values, `${name}: ${bench.step?.do === "tone" ? "place" : "region"}`);
}

async function nudge(id: string, how: "ms" | "sample" | "zero", way: -1 | 1): Promise<void> {
  const edge = marks.value?.edges.find((one) => one.id === id);
  const rate = stage.value?.rate ?? 48_000;
  let at = edge?.at ?? (bench.step ? number(bench.step, id) : 0);
  if (how === "zero") {
    try {
      at = (await wanted(api.GET("/api/sounds/{digest}/snap", { params: { path: { digest: stage.value!.key }, query: { at, way } } }))).at;
    } catch (error) {
      return useNotices().complain(error);
    }
  } else at += way * (how === "ms" ? 1e-3 : 1 / rate);
  at = Math.min(duration.value, Math.max(0, Math.round(at * rate) / rate));
  await bench.change(bench.chosen, { [id]: at }, `Nudge ${edge?.word ?? id}`);
}

function takeLoop(loop: LoopFound): void {
  void bench.change(
    bench.chosen,
    { start: loop.start, end: loop.end, crossfade: loop.crossfade_ms, direction: "forward", curve: "by likeness" },
    "Take a loop",
  );
}

/** The loop as it is offered so that its crossfade has room. */
function takeEdges([start, end]: [number, number]): void {
  void bench.change(bench.chosen, { start, end }, "Make room for the crossfade");
}

/** The root dragged on the picture, to the cent. */
async function giveRoot(hz: number): Promise<void> {
  const note = Math.round(100 * noteOf(hz, project.settings.tuning)) / 100;
  await bench.withStep("root", { how: "given", note: Math.min(127, Math.max(0, note)) }, "Root");
  bench.turnTo("after");
}

function split(at: number): void {
  if (pieces.open) pieces.splitAt(at);
}

async function togglePieces(): Promise<void> {
  if (pieces.open) return pieces.end();
  await pieces.begin();
}

function rename(name: string): void {
  const recording = bench.recording!;
  const show = (now: string) => (bench.recording = { ...recording, name: now });
  void field.edit(recording, { name }).then(() => {
    show(name);
    useNotices().say(`'${recording.name}' is called '${name}' now.`, () => void field.undo().then(() => show(recording.name)));
  });
}

/** What was decided of the pieces while they are open, else the recipe. */
const back = (way: "undo" | "redo") => void (pieces.open ? pieces : bench).back(way);

useShortcuts({ undo: () => back("undo"), redo: () => back("redo"), listen: toggleListening }, () => bench.recording !== null);
useShortcuts({ leave: () => bench.turnTo("after") }, () => asks.value);
</script>

<template>
  <div v-if="bench.recording && shown && stage" class="flex h-full">
    <section class="flex min-w-0 flex-1 flex-col px-6 pt-3 pb-3" aria-label="Bench">
      <BenchHeader
        :name="bench.recording.name"
        what="recording"
        :subtitle="subtitle"
        :revised="pieces.open ? pieces : bench"
        @rename="rename"
      >
        <PictureSettings v-model="settings" />
        <button
          class="quiet"
          :class="pieces.open ? 'bg-ink text-paper hover:!bg-ink' : 'text-soft'"
          :aria-pressed="pieces.open"
          title="Split the recording at onsets or by hand"
          @click="togglePieces"
        >
          Pieces
        </button>
        <Segments
          :model-value="bench.face"
          label="What is shown and heard"
          :options="[
            { value: 'before', word: 'Before', help: 'As recorded; as loud as after' },
            { value: 'step', word: 'Step', help: 'The sound as it reaches the open step' },
            { value: 'after', word: 'After', help: 'After all steps' },
          ]"
          @update:model-value="turnTo"
        />
      </BenchHeader>
      <p
        v-for="remark in pieces.open ? [] : (bench.recording.measured.remarks ?? [])"
        :key="remark"
        class="mt-1 border-l-4 border-warn pl-2"
      >
        {{ remark }}
      </p>
      <Overview class="mt-1.5 mr-11" :shown="shown" @view="look" />
      <div class="relative mt-1.5 min-h-40 flex-1">
        <SoundPicture
          class="h-full"
          :shown="shown"
          :settings="settings"
          :loudest="loudest"
          :marks="marks"
          :pitch="pitch"
          :onsets="pieces.open ? pieces.found : null"
          :splits="pieces.open ? pieces.splits : []"
          :piece="pieces.open ? (pieces.pieces[pieces.chosen] ?? null) : null"
          :heard-at="heardAt"
          :root-hz="bench.face === 'after' && !pieces.open ? (stage.root_hz ?? null) : null"
          @root="giveRoot"
          @view="look"
          @listen="listen"
          @drag="drag"
          @drop="drop"
          @split="split"
          @nudge="nudge"
        />
        <p v-if="asks" class="floating pointer-events-none absolute bottom-7 left-2 z-20 px-3 py-1" role="status" data-testid="asks">
          Drag over a stretch of nothing but noise. Until then the step is off; Esc leaves.
        </p>
        <WorkState :problem="bench.problem" :working="bench.working" word="working" label="Working on the steps" />
      </div>
      <SeamPanel
        v-if="isLoop"
        ref="seamPanel"
        class="mt-2 h-36 shrink-0"
        :sound-key="stage.key"
        :step="bench.step!"
        :duration="duration"
        @take="takeEdges"
      />
      <div v-else class="mt-2 flex shrink-0 items-center gap-2">
        <button class="action" title="Enter; a click on the picture listens from there" @click="toggleListening">
          {{ live.listeningTo ? "Stop" : marks?.keeps ? "Listen to the region" : isTone ? "Listen to the tone" : "Listen" }}
        </button>
        <span class="text-soft"
          >{{ marks ? `Drag on the waveform to set ${marks.word}` : "Click to listen from there" }}; wheel zooms, drag the spectrogram to
          scroll.</span
        >
      </div>
    </section>
    <aside class="flex w-[21rem] shrink-0 flex-col border-l border-hairline" aria-label="Recipe and findings">
      <PiecesPanel
        v-if="pieces.open"
        class="px-5 py-3"
        @show="(a, z) => look((a - 0.3 * (z - a)) * shown!.rate, (z + 0.3 * (z - a)) * shown!.rate)"
        @kept="(ids, known) => keeping?.kept(ids, known)"
      />
      <div v-else class="flex min-h-0 flex-1 flex-col gap-3 overflow-x-hidden overflow-y-auto px-5 py-3">
        <RecipePanel :duration="duration" @nudge="nudge" @copy="copying = true" @export="exporting = true" />
        <LoopsFound v-if="isLoop" :sound-key="stage.key" :from="0" :to="Math.min(duration, 180)" :current="currentLoop" @take="takeLoop" />
        <NotesPanel v-if="isNotes" :sound-key="stage.key" :from="0" :to="duration" />
        <MakeMore :shrinks="isLoop" />
      </div>
      <div v-show="!pieces.open" class="flex shrink-0 flex-col gap-2 border-t border-hairline px-5 pt-2 pb-3">
        <RootPanel :stage="bench.after" :pitch="pitch" />
        <KeepMaterial ref="keeping" />
      </div>
    </aside>
    <ExportDialog :open="exporting" :recordings="[bench.recording.id]" :stage="exportedStage" @close="exporting = false" />
    <CopyDialog :open="copying" @close="copying = false" />
  </div>
  <div v-else-if="shelf.loaded && !shelf.recordings.length" class="max-w-lg p-6 text-base">
    <h1 class="font-serif text-xl">Bench</h1>
    <p class="mt-2 text-soft">There is nothing to work on yet. Add recordings in Field, and put one on the bench.</p>
    <RouterLink class="action-main mt-4 inline-block" to="/field">Go to Field</RouterLink>
  </div>
  <p v-else-if="bench.problem" class="p-6" role="alert">{{ bench.problem }}</p>
</template>
