<script setup lang="ts">
/** A layer more: from a sound on the shelf, a plain wave, noise, a wave tuned to another layer, or a click. */
import DialogFrame from "../../frame/DialogFrame.vue";
import { computed, ref } from "vue";

import { type Choice, isChoice } from "../../api/types";
import Segments from "../../controls/Segments.vue";
import { useInstrument } from "../../stores/instrument";
import { useProject } from "../../stores/project";
import { noteName } from "../../theme/words";
import ShelfList from "../../controls/ShelfList.vue";

defineProps<{ open: boolean }>();
const emit = defineEmits<{ close: [] }>();
const instrument = useInstrument();
const project = useProject();

const kind = ref("cloud");
const shape = ref("sine");
const octave = ref(-1);
const of = ref(0);

const kinds = computed(() => [
  ...project.catalogue.layer_kinds.map(({ id, help }) => ({ value: id, word: id, help })),
  { value: "tuned", word: "tuned wave", help: "A wave at the root of another layer, such as a low end under it." },
  { value: "click", word: "click", help: "A very short wave whose pitch falls: attack for a soft sound." },
]);
const help = computed(() => kinds.value.find(({ value }) => value === kind.value)?.help ?? "");
const fromShelf = computed(
  () =>
    project.catalogue.layer_kinds.find(({ id }) => id === kind.value)?.sounds !== "one" && kind.value !== "tuned" && kind.value !== "click",
);
/** What a kind that needs no sound is first of all: its wave or colour. */
const first = computed(() =>
  project.catalogue.layer_kinds
    .find(({ id }) => id === (kind.value === "tuned" ? "wave" : kind.value))
    ?.parameters.find((one): one is Choice => isChoice(one)),
);
const shapes = computed(() =>
  (first.value?.options ?? []).filter((word) => word !== "table" && word !== "recording").map((value) => ({ value, word: value })),
);
const chosenShape = computed({
  get: () => (shapes.value.some(({ value }) => value === shape.value) ? shape.value : (shapes.value[0]?.value ?? "")),
  set: (value) => (shape.value = value),
});
const rooted = computed(() =>
  (instrument.document?.layers ?? [])
    .map((layer, index) => ({ layer, index, root: layer.sounds[0]?.root ?? null }))
    .filter(({ layer }) => project.catalogue.layer_kinds.find(({ id }) => id === layer.kind)?.rooted),
);
const octaves = [-3, -2, -1, 0, 1, 2].map((value) => ({ value, word: value > 0 ? `+${value}` : String(value).replace("-", "\u2212") }));

async function make(recording?: number): Promise<void> {
  const done = await (kind.value === "click"
    ? instrument.act({ do: "click" })
    : kind.value === "tuned"
      ? instrument.act({ do: "tuned wave", layer: of.value, shape: chosenShape.value as "sine", octave: octave.value })
      : instrument.act({ do: "add", kind: kind.value, recording: recording ?? null, shape: fromShelf.value ? "" : chosenShape.value }));
  if (!done) return;
  instrument.layerIndex = instrument.document!.layers.length - 1;
  emit("close");
}
</script>

<template>
  <DialogFrame :open="open" title="Add a layer" width="w-[36rem]" @close="$emit('close')">
    <Segments v-model="kind" class="mt-3 -ml-1" label="Kind of layer" :options="kinds" />
    <p class="mt-2 text-soft">{{ help }}</p>
    <ShelfList v-if="fromShelf" class="mt-3 h-80" @pick="make" />
    <div v-else class="mt-3 flex flex-col gap-3">
      <label v-if="kind === 'tuned'" class="flex items-center gap-3">
        <span class="w-16 text-soft">under</span>
        <select v-model="of" class="field flex-1">
          <option v-for="{ layer, index, root } in rooted" :key="layer.id" :value="index">
            {{ layer.name }}, {{ root === null ? "no clear pitch" : noteName(root) }}
          </option>
        </select>
      </label>
      <div v-if="kind !== 'click'" class="flex items-center gap-3">
        <span class="w-16 text-soft">{{ first?.name }}</span><Segments v-model="chosenShape" :label="first?.name ?? ''" :options="shapes" />
      </div>
      <div v-if="kind === 'tuned'" class="flex items-center gap-3">
        <span class="w-16 text-soft">octave</span><Segments v-model="octave" label="Octave" :options="octaves" />
      </div>
    </div>
    <template #actions><button v-if="!fromShelf" class="action-main" @click="make()">Add</button></template>
  </DialogFrame>
</template>
