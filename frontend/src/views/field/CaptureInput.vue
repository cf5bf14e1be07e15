<script setup lang="ts">
/** Which input is recorded, in how many channels, at which rate. */
import { onMounted, ref } from "vue";

import Segments from "../../controls/Segments.vue";
import { type Input, inputs } from "../../live/capture";

const input = defineModel<Input>({ required: true });
const emit = defineEmits<{ change: [] }>();
const found = ref<{ id: string; name: string }[]>([]);
const CHANNELS = [
  { value: 1, word: "mono" },
  { value: 2, word: "stereo" },
];
const RATES = [
  { value: 0, word: "the device's" },
  { value: 44_100, word: "44.1" },
  { value: 48_000, word: "48" },
  { value: 96_000, word: "96 kHz" },
];

onMounted(async () => (found.value = await inputs().catch(() => [])));

function set(change: Partial<Input>): void {
  input.value = { ...input.value, ...change };
  emit("change");
}
</script>

<template>
  <div class="grid grid-cols-[5rem_1fr] items-center gap-x-3 gap-y-1">
    <label class="text-soft" for="capture-device">Input</label>
    <select
      id="capture-device"
      class="field !py-1"
      :value="input.device"
      @change="set({ device: ($event.target as HTMLSelectElement).value })"
    >
      <option value="">the browser's choice</option>
      <option v-for="one in found" :key="one.id" :value="one.id">{{ one.name }}</option>
    </select>
    <span class="text-soft">Channels</span>
    <Segments :model-value="input.channels" label="Channels" :options="CHANNELS" @update:model-value="set({ channels: $event })" />
    <span class="text-soft">Rate</span>
    <Segments :model-value="input.rate" label="Rate" :options="RATES" @update:model-value="set({ rate: $event })" />
  </div>
</template>
