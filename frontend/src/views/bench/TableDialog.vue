<script setup lang="ts">
/** A wavetable of recordings: frames along one, or cycles that are there already. */
import DialogFrame from "../../frame/DialogFrame.vue";
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { api, wanted } from "../../api/client";
import type { RecordingLine } from "../../api/types";
import Segments from "../../controls/Segments.vue";
import { useField } from "../../stores/field";
import { useTable } from "../../stores/table";

const props = defineProps<{
  open: boolean;
  recordings: RecordingLine[];
  ofCycles?: boolean;
}>();
const emit = defineEmits<{ close: [] }>();
const router = useRouter();
const field = useField();
const table = useTable();
const way = ref<"along" | "end to end" | "one each">("along");
const cycle = ref(2048);
const told = ref("");
const making = ref(false);

const one = computed(() => props.recordings[0]);
const many = computed(() => props.recordings.length > 1);
const options = computed(() => [
  ...(many.value ? [] : [{ value: "along" as const, word: "frames along it", help: "Taken from the sound as it goes" }]),
  { value: "end to end" as const, word: "frames end to end", help: "A wavetable from elsewhere" },
  { value: "one each" as const, word: many.value ? "one cycle each" : "one cycle", help: "As a whole, each is one period" },
]);
const samples = computed(() => Math.round((one.value?.duration_s ?? 0) * (one.value?.rate ?? 1)));
const fits = computed(() => way.value !== "end to end" || (cycle.value >= 8 && cycle.value <= samples.value));

watch(
  () => props.open,
  async (open) => {
    if (!open || !one.value) return;
    way.value = props.ofCycles ? "one each" : "along";
    told.value = "";
    const found = await wanted(
      api.GET("/api/recordings/{recording_id}/cycles", { params: { path: { recording_id: one.value.id } } }),
    ).catch(() => null);
    if (!found) return;
    cycle.value = found.cycle;
    told.value = `${found.frames} frames of ${found.cycle} samples: ${found.how}.`;
    if (found.sure && found.how !== "the sound agrees with itself" && found.frames > 1) way.value = "end to end";
  },
  { immediate: true },
);

async function make(): Promise<void> {
  making.value = true;
  const recordings = props.recordings.map(({ id }) => id);
  const id = await table.make(
    way.value === "along" ? { recordings } : { recordings, cycles: true, cycle: way.value === "end to end" ? cycle.value : null },
  );
  making.value = false;
  if (id === null) return;
  emit("close");
  field.picked = [];
  await field.load();
  await router.push(`/bench/${id}`);
}
</script>

<template>
  <DialogFrame
    :open="open"
    :title="`A wavetable of ${many ? `${recordings.length} recordings` : `'${one?.name}'`}`"
    @close="$emit('close')"
  >
    <Segments v-model="way" class="mt-3" label="How frames lie in it" :options="options" />
    <p v-if="way === 'along'" class="mt-3 text-soft">
      Its own cycles where it has a clear pitch, else its spectrum. How many, where and how can be changed afterwards.
    </p>
    <template v-else-if="way === 'end to end'">
      <label class="mt-3 flex items-center gap-2"
        >a frame has
        <input v-model.number="cycle" class="field w-24" type="number" min="8" max="16384" aria-label="Samples of a frame" /> samples</label
      >
      <p class="mt-1 text-soft">{{ told }}</p>
      <p v-if="!fits" class="mt-1 text-warn">That does not fit: the recording has {{ samples }} samples.</p>
    </template>
    <p v-else class="mt-3 text-soft">
      {{ many ? "Each recording, as a whole, is one period, in the order of the shelf." : "The whole recording is one period." }}
    </p>
    <template #actions
      ><button class="action-main px-4 py-1.5" :disabled="!fits || making" @click="make">
        {{ making ? "Making" : "Make the wavetable" }}
      </button></template
    >
  </DialogFrame>
</template>
