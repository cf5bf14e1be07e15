<script setup lang="ts">
/** The ends of a range on a measuring rule: dragged, and moved by arrow keys. */
import { ref } from "vue";

import type { Parameter } from "../api/types";
import { followPointer } from "../composables/pointer";
import { fromShare, spoken, toShare } from "./scale";

const props = defineProps<{ parameter: Parameter; band: [low: number, high: number] }>();
/** The range as it is dragged. */
const pulled = defineModel<[number, number] | null>("pulled", { required: true });
const emit = defineEmits<{ band: [low: number, high: number] }>();
const line = ref<HTMLElement>();

function take(event: PointerEvent, which: 0 | 1): void {
  pulled.value = [...props.band];
  followPointer(event, (now) => pull(now, which), drop);
}

function pull(event: PointerEvent, which: 0 | 1): void {
  if (!line.value || !pulled.value) return;
  const box = line.value.getBoundingClientRect();
  const moved: [number, number] = [...pulled.value];
  moved[which] = fromShare(props.parameter, (event.clientX - box.left) / box.width);
  pulled.value = moved;
}

function drop(cancelled: boolean): void {
  if (pulled.value && !cancelled) emit("band", ...pulled.value);
  pulled.value = null;
}

function nudge(event: KeyboardEvent, which: 0 | 1): void {
  const by = { ArrowRight: 0.01, ArrowUp: 0.01, ArrowLeft: -0.01, ArrowDown: -0.01 }[event.key];
  if (by === undefined) return;
  event.preventDefault();
  event.stopPropagation();
  const moved: [number, number] = [...props.band];
  moved[which] = fromShare(props.parameter, toShare(props.parameter, moved[which]) + by);
  emit("band", ...moved);
}

const shown = (which: 0 | 1) => (pulled.value ?? props.band)[which];
</script>

<template>
  <div ref="line" class="pointer-events-none absolute inset-x-1 top-[6px] h-0">
    <button
      v-for="which in [0, 1] as const"
      :key="which"
      class="range-end pointer-events-auto"
      :style="{ left: `${100 * toShare(parameter, shown(which))}%` }"
      :aria-label="`${which ? 'End' : 'Beginning'} of the range of ${parameter.name}: ${spoken(parameter, shown(which))}`"
      :title="`${spoken(parameter, shown(which))}: drag, or arrow keys`"
      :data-end="which"
      @pointerdown.stop="take($event, which)"
      @pointermove.stop
      @pointerup.stop
      @keydown="nudge($event, which)"
    />
  </div>
</template>
