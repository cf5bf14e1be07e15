<script setup lang="ts">
/** Bench: what in this recording can I use? */
import { useLocalStorage } from "@vueuse/core";
import { ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";

import ExportDialog from "../../controls/ExportDialog.vue";
import Segments from "../../controls/Segments.vue";
import { useBench } from "../../stores/bench";
import { useShortcuts } from "../../frame/shortcuts";
import { useField } from "../../stores/field";
import { useShelf } from "../../stores/shelf";
import { useLive } from "../../stores/live";
import { usePieces } from "../../stores/pieces";
import BenchHeader from "./BenchHeader.vue";
import { useChanges } from "./changing";
import CopyDialog from "./CopyDialog.vue";
import { useHearing } from "./hearing";
import KeepMaterial from "./KeepMaterial.vue";
import LoopsFound from "./LoopsFound.vue";
import MakeMore from "./MakeMore.vue";
import NotesPanel from "./NotesPanel.vue";
import Overview from "./Overview.vue";
import { usePitchInView } from "./pitchInView";
import PictureSettings, { type Settings } from "./PictureSettings.vue";
import PiecesPanel from "./PiecesPanel.vue";
import RecipePanel from "./RecipePanel.vue";
import RootPanel from "./RootPanel.vue";
import SeamPanel from "./SeamPanel.vue";
import SoundPicture from "./SoundPicture.vue";
import { useShownStage } from "./shownStage";
import WorkState from "./WorkState.vue";

const route = useRoute();
const router = useRouter();
const bench = useBench();
const field = useField();
const shelf = useShelf();
const live = useLive();
const pieces = usePieces();
const settings = useLocalStorage<Settings>("bloom-bench-picture", { axis: "log", low: -95, high: -20, pitch: true });
const copying = ref(false);
const exporting = ref(false);
const keeping = ref<InstanceType<typeof KeepMaterial>>();
const seamPanel = ref<InstanceType<typeof SeamPanel>>();

const onBench = useShownStage();
const { stage, duration, shown, view, look, loudest, marks, isLoop, isNotes, currentLoop, asks, subtitle, exported } = onBench;
const pitch = usePitchInView(shown);
const { at: heardAt, isTone, listen, listenTone, turnTo } = useHearing(stage);

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

const { drag, drop, nudge, takeLoop, takeEdges, giveRoot, rename } = useChanges(onBench, listenTone);

function toggleListening(): void {
  if (live.listeningTo) return live.hush();
  if (isLoop.value) return seamPanel.value?.listen();
  if (isTone.value) return listenTone();
  const first = marks.value?.keeps ? marks.value.edges[0]!.at : Math.max(0, view.value.from / (stage.value?.rate ?? 1));
  listen(first);
}

const togglePieces = () => (pieces.open ? pieces.end() : pieces.begin());

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
          @split="pieces.open && pieces.splitAt($event)"
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
    <ExportDialog :open="exporting" :recordings="[bench.recording.id]" :stage="exported" @close="exporting = false" />
    <CopyDialog :open="copying" @close="copying = false" />
  </div>
  <div v-else-if="shelf.loaded && !shelf.recordings.length" class="max-w-lg p-6 text-base">
    <h1 class="font-serif text-xl">Bench</h1>
    <p class="mt-2 text-soft">There is nothing to work on yet. Add recordings in Field, and put one on the bench.</p>
    <RouterLink class="action-main mt-4 inline-block" to="/field">Go to Field</RouterLink>
  </div>
  <p v-else-if="bench.problem" class="p-6" role="alert">{{ bench.problem }}</p>
</template>
