<script setup lang="ts">
/** How the picture is drawn: frequency axis, range of levels, pitch. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/vue";

import Rule from "../../controls/Rule.vue";
import { ownRule } from "../../controls/scale";
import Segments from "../../controls/Segments.vue";
import type { Parameter } from "../../api/types";
import type { Axis } from "../../charts/tiles";

export interface Settings {
  axis: Axis;
  low: number;
  high: number;
  pitch: boolean;
}

const settings = defineModel<Settings>({ required: true });
const rule = (id: string, name: string, low: number, high: number, value: number, help: string): Parameter =>
  ownRule({
    id,
    name,
    group: "Picture",
    unit: "dB",
    low,
    high,
    default: value,
    help,
  });
const LOW = rule("low", "faintest", -120, -40, -95, "Levels below are not drawn.");
const HIGH = rule("high", "darkest", -60, 0, -20, "Levels above are drawn in full.");

function set(change: Partial<Settings>): void {
  settings.value = { ...settings.value, ...change };
}
</script>

<template>
  <Popover class="relative">
    <PopoverButton class="quiet text-soft" title="Frequency axis, range of levels, pitch">Picture</PopoverButton>
    <PopoverPanel class="floating absolute right-0 z-20 mt-1 flex w-72 flex-col gap-2 p-4">
      <span class="text-soft">Frequency axis</span>
      <Segments
        :model-value="settings.axis"
        label="Frequency axis"
        :options="[
          { value: 'log', word: 'octaves', help: 'Logarithmic' },
          { value: 'linear', word: 'even', help: 'Linear' },
        ]"
        @update:model-value="set({ axis: $event })"
      />
      <Rule :parameter="LOW" :value="settings.low" @move="set({ low: $event })" />
      <Rule :parameter="HIGH" :value="settings.high" @move="set({ high: Math.max($event, settings.low + 10) })" />
      <Segments
        :model-value="settings.pitch ? 'shown' : 'hidden'"
        label="Pitch track"
        :options="[
          { value: 'shown', word: 'pitch shown' },
          { value: 'hidden', word: 'hidden' },
        ]"
        @update:model-value="set({ pitch: $event === 'shown' })"
      />
    </PopoverPanel>
  </Popover>
</template>
