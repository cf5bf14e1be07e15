<script setup lang="ts">
/** Instrument: what is sounding, and what shapes it? */
import { useLocalStorage } from "@vueuse/core";
import { computed, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";

import ExportChoices from "../../controls/ExportChoices.vue";
import MenuButton from "../../controls/MenuButton.vue";
import MenuChoice from "../../controls/MenuChoice.vue";
import { upload } from "../../api/client";
import { number } from "../../api/types";
import PetalMark from "../../charts/PetalMark.vue";
import EditableName from "../../controls/EditableName.vue";
import Segments from "../../controls/Segments.vue";
import ShelfPicker from "../../controls/ShelfPicker.vue";
import UndoRedo from "../../controls/UndoRedo.vue";
import ViewHelp from "../../frame/ViewHelp.vue";
import { useShortcuts } from "../../frame/shortcuts";
import { useShelf } from "../../stores/shelf";
import { useInstrument } from "../../stores/instrument";
import { useJobs } from "../../stores/jobs";
import { useLive } from "../../stores/live";
import { useMix } from "../../stores/mix";
import { useMovement } from "../../stores/movement";
import { useNotices } from "../../stores/notices";
import { usePrints } from "../../stores/prints";
import { useProject } from "../../stores/project";
import { useSnapshots } from "../../stores/snapshots";
import AddLayerDialog from "./AddLayerDialog.vue";
import InstrumentsDialog from "./InstrumentsDialog.vue";
import LayerPanel from "./LayerPanel.vue";
import EffectPanel from "./mix/EffectPanel.vue";
import MixHelp from "./mix/MixHelp.vue";
import MixView from "./mix/MixView.vue";
import StreamPanel from "./mix/StreamPanel.vue";
import ModulatorPanel from "./ModulatorPanel.vue";
import MovementList from "./MovementList.vue";
import PortraitDialog from "./PortraitDialog.vue";
import RangesChart from "./RangesChart.vue";
import RenderDialog from "./RenderDialog.vue";
import SnapshotPanel from "./snapshots/SnapshotPanel.vue";
import SnapshotView from "./snapshots/SnapshotView.vue";
import Stratum from "./Stratum.vue";
import TargetPanel from "./TargetPanel.vue";
import VariantsDialog from "./VariantsDialog.vue";

const route = useRoute();
const router = useRouter();
const instrument = useInstrument();
const shelf = useShelf();
const live = useLive();
const project = useProject();
const bundle = ref<HTMLInputElement>();
const rendering = ref(false);
const swapping = ref(false);
const choosing = ref(false);
const prints = usePrints();
const ranges = useLocalStorage("bloom-ranges", false);
const movement = useMovement();
const mix = useMix();
const snapshots = useSnapshots();
type Way = "layers" | "mix" | "routes" | "grid" | "snapshots";
const way = useLocalStorage<Way>("bloom-reading", "layers");
const WAYS: { value: Way; word: string; help: string }[] = [
  { value: "layers", word: "layers", help: "What is sounding" },
  { value: "mix", word: "mix", help: "What each sound passes on its way out" },
  { value: "routes", word: "routes", help: "What moves what, as sentences" },
  { value: "grid", word: "grid", help: "The same routes, sources down and targets across" },
  { value: "snapshots", word: "snapshots", help: "States of the instrument, and the map between them" },
];

const doc = computed(() => instrument.document);
const words = computed(() => {
  const layers = doc.value?.layers.length ?? 0;
  const most = number(doc.value?.settings ?? {}, "voices");
  const members = doc.value?.stack.length ?? 1;
  const stacked = members > 1 ? ` for ${Math.max(1, Math.floor(most / members))} notes of ${members}` : "";
  return `${layers} ${layers === 1 ? "layer" : "layers"}, ${most} voices${stacked}, of which ${live.look.voices} sound now`;
});
const digest = (index: number) => doc.value?.layers[index]?.sounds[0]?.recording;
const adding = ref(false);
const portraying = ref(false);
const varying = ref(false);
const recordingOf = (index: number) => shelf.byDigest.get(digest(index) ?? "");

watch(
  () => route.params.id,
  async (id) => {
    if (route.name !== "instrument") return;
    if (!shelf.loaded) void shelf.load();
    const wanted = Number(id);
    if (id && wanted !== instrument.id && !(await instrument.open(wanted))) await router.replace("/instrument");
    // an ensemble may have been played meanwhile
    else if (live.playsEnsemble && instrument.document) live.load(instrument.document);
    if (!id && instrument.id !== null) await router.replace(`/instrument/${instrument.id}`);
  },
  { immediate: true },
);

function rename(name: string): void {
  void instrument.edit("Rename", [{ op: "replace", path: "/name", value: name }]);
}

/** A layer is looked at, and no longer what moves. */
function chooseLayer(index: number): void {
  instrument.layerIndex = index;
  movement.chosen = null;
}

async function swapAll(recording: number): Promise<void> {
  swapping.value = false;
  await instrument.act({ do: "swap all", recording });
}

async function duplicate(): Promise<void> {
  const id = await instrument.duplicate();
  if (id !== null) await router.push(`/instrument/${id}`);
}

async function remove(): Promise<void> {
  await instrument.remove((id) => void router.push(`/instrument/${id}`));
  await router.push("/instrument");
}

async function openBundle(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement;
  const file = input.files?.[0];
  input.value = "";
  if (!file) return;
  try {
    const { job } = await upload("/api/bundles", file, () => undefined, new AbortController().signal);
    useJobs().follow(job as string, async (done) => {
      await instrument.list();
      await shelf.load();
      const { ensemble, instrument: alone } = done.result;
      await router.push(ensemble === null ? `/instrument/${alone}` : `/ensemble/${ensemble}`);
    });
  } catch (error) {
    useNotices().complain(error);
  }
}

/** Alt and a digit; in a list of any length the digits are the first nine. */
function recall(event: KeyboardEvent): boolean {
  const one = snapshots.all[Number(event.key) - 1];
  if (one) snapshots.recall(one.id);
  return one !== undefined;
}

useShortcuts({ recall, undo: () => instrument.step("undo"), redo: () => instrument.step("redo") });
</script>

<template>
  <div class="flex h-full">
    <section class="flex min-w-0 flex-1 flex-col px-6 pt-4 pb-3" aria-label="Instrument">
      <div class="flex items-center gap-1">
        <h1 class="flex min-w-0 flex-1 font-serif text-xl leading-tight">
          <EditableName v-if="doc" :name="doc.name" what="instrument" @rename="rename" />
          <template v-else>Instrument</template>
        </h1>
        <ViewHelp />
        <UndoRedo v-if="doc" :undo="instrument.undoLabel" :redo="instrument.redoLabel" @step="instrument.step" />
        <button class="quiet" title="All of them, by what they sound like" @click="choosing = true">Instruments</button>
        <RouterLink class="quiet" title="Several instruments played together" to="/ensemble">Ensembles</RouterLink>
        <MenuButton word="More" width="w-56">
          <template v-if="doc">
            <MenuChoice title="Neighbours of this instrument, side by side" @click="varying = true">Variants</MenuChoice>
            <MenuChoice title="What every key sounds like, at a glance" @click="portraying = true">Portrait</MenuChoice>
            <MenuChoice
              class="border-t border-hairline"
              title="One note as it sounds now, on the shelf and as a layer of its own"
              :disabled="prints.printing"
              @click="prints.print()"
              >{{ prints.printing ? "Printing a note" : "Print a note as a layer" }}</MenuChoice
            >
            <MenuChoice title="Another recording in place of all, every setting kept" @click="swapping = true">Swap all sounds</MenuChoice>
            <MenuChoice
              title="The same instrument over many recordings, ranked, heard and kept"
              @click="router.push(`/swap/${instrument.id}`)"
              >Swap sheet</MenuChoice
            >
            <MenuChoice class="border-t border-hairline" @click="duplicate">Duplicate</MenuChoice>
            <ExportChoices of="instrument" :id="instrument.id!" :without="doc.tuning ? [] : ['tuning']" />
          </template>
          <MenuChoice @click="bundle?.click()">Open a bundle</MenuChoice>
          <MenuChoice v-if="doc" @click="remove">Delete</MenuChoice>
        </MenuButton>
        <button v-if="doc" class="action-main ml-2" @click="rendering = true">Render</button>
        <input ref="bundle" type="file" accept=".zip" hidden data-testid="bundle" aria-label="Bundle to open" @change="openBundle" />
      </div>
      <div v-if="doc" class="mt-1 flex items-center gap-4">
        <Segments v-model="way" label="Read the instrument as" :options="WAYS" class="-ml-2 !flex-nowrap" />
        <p class="min-w-0 flex-1 truncate text-soft">{{ words }}<span v-if="instrument.saving">, saving</span></p>
      </div>
      <MixView v-if="doc && way === 'mix'" class="mt-3" />
      <SnapshotView v-else-if="doc && way === 'snapshots'" class="mt-3" />
      <MovementList v-else-if="doc && way !== 'layers'" class="mt-3" :grid="way === 'grid'" />
      <div v-else-if="doc" class="mt-3 flex min-h-0 flex-1 flex-col gap-1 overflow-y-auto">
        <Stratum
          v-for="(layer, i) in doc.layers"
          :key="layer.id"
          :layer="layer"
          :index="i"
          :count="doc.layers.length"
          :chosen="i === instrument.layerIndex"
          :recording="recordingOf(i)"
          @choose="chooseLayer(i)"
        />
      </div>
      <div v-if="doc && way === 'layers'" class="mt-2 flex items-center border-t border-hairline pt-1.5">
        <button
          class="quiet -ml-2 text-focus"
          :disabled="doc.layers.length >= project.catalogue.most_layers"
          title="From a sound on the shelf, a plain wave or noise"
          @click="adding = true"
        >
          + Layer from a sound on the shelf, a plain wave or noise
        </button>
        <button class="quiet ml-auto" :aria-expanded="ranges" @click="ranges = !ranges">
          {{ ranges ? "Hide ranges" : "Key and velocity ranges" }}
        </button>
      </div>
      <RangesChart v-if="doc && ranges && way === 'layers'" class="h-36 shrink-0" />
      <p v-if="doc?.notes && !ranges && way === 'layers'" class="mt-2 truncate font-serif text-soft italic" :title="doc.notes">
        {{ doc.notes }}
      </p>
      <div v-if="!doc" class="mt-6 max-w-lg text-base">
        <p v-if="instrument.lines.length" class="text-soft">Choose one to play:</p>
        <p v-else class="text-soft">There is no instrument yet. Choose a recording in Field and grow one from it.</p>
        <ul class="mt-3">
          <li v-for="one in instrument.lines" :key="one.id" class="border-b border-hairline">
            <RouterLink :to="`/instrument/${one.id}`" class="flex items-center gap-3 py-2 font-serif text-base hover:underline"
              ><PetalMark :petal="one.layers[0] ?? 'madder'" />{{ one.name }}</RouterLink
            >
          </li>
        </ul>
        <RouterLink to="/field" class="action-main mt-5 inline-block text-sm">Go to Field</RouterLink>
      </div>
    </section>
    <TargetPanel
      v-if="doc && movement.chosen?.what === 'target'"
      :owner="movement.chosen.owner"
      :parameter-id="movement.chosen.parameter"
      :route-id="movement.chosen.route"
    />
    <ModulatorPanel
      v-else-if="doc && movement.chosen?.what === 'modulator' && movement.modulator(movement.chosen.id)"
      :id="movement.chosen.id"
    />
    <EffectPanel v-else-if="doc && way === 'mix' && mix.effect" :key="mix.effect.effect.id" />
    <StreamPanel v-else-if="doc && way === 'mix' && mix.stream" :key="mix.stream.id" :stream="mix.stream" />
    <SnapshotPanel v-else-if="doc && way === 'snapshots'" />
    <MixHelp v-else-if="doc && way === 'mix'" />
    <LayerPanel v-else-if="doc && instrument.layer" />
    <RenderDialog v-if="doc" :open="rendering" @close="rendering = false" />
    <ShelfPicker v-if="doc" :open="swapping" title="A recording in place of all" @close="swapping = false" @pick="swapAll" />
    <AddLayerDialog v-if="doc" :open="adding" @close="adding = false" />
    <PortraitDialog v-if="doc" :open="portraying" @close="portraying = false" />
    <InstrumentsDialog :open="choosing" @close="choosing = false" />
    <VariantsDialog v-if="doc" :open="varying" @close="varying = false" />
  </div>
</template>
