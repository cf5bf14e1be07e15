<script setup lang="ts">
/** Instrument: what is sounding, and what shapes it? */
import { useLocalStorage } from "@vueuse/core";
import { computed, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";

import { number } from "../../api/types";
import PetalMark from "../../charts/PetalMark.vue";
import EditableName from "../../controls/EditableName.vue";
import Segments from "../../controls/Segments.vue";
import UndoRedo from "../../controls/UndoRedo.vue";
import ViewHelp from "../../frame/ViewHelp.vue";
import { useShortcuts } from "../../frame/shortcuts";
import { useShelf } from "../../stores/shelf";
import { useInstrument } from "../../stores/instrument";
import { useLive } from "../../stores/live";
import { useMovement } from "../../stores/movement";
import { useProject } from "../../stores/project";
import { useSnapshots } from "../../stores/snapshots";
import AddLayerDialog from "./AddLayerDialog.vue";
import InstrumentMenu from "./InstrumentMenu.vue";
import InstrumentsDialog from "./InstrumentsDialog.vue";
import MixView from "./mix/MixView.vue";
import InstrumentSide from "./InstrumentSide.vue";
import MovementList from "./MovementList.vue";
import RangesChart from "./RangesChart.vue";
import RenderDialog from "./RenderDialog.vue";
import SnapshotView from "./snapshots/SnapshotView.vue";
import Stratum from "./Stratum.vue";

const route = useRoute();
const router = useRouter();
const instrument = useInstrument();
const shelf = useShelf();
const live = useLive();
const project = useProject();
const rendering = ref(false);
const choosing = ref(false);
const ranges = useLocalStorage("bloom-ranges", false);
const movement = useMovement();
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
        <InstrumentMenu />
        <button v-if="doc" class="action-main ml-2" @click="rendering = true">Render</button>
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
    <InstrumentSide v-if="doc" :way="way" />
    <RenderDialog v-if="doc" :open="rendering" @close="rendering = false" />
    <AddLayerDialog v-if="doc" :open="adding" @close="adding = false" />
    <InstrumentsDialog :open="choosing" @close="choosing = false" />
  </div>
</template>
