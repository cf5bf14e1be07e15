<script setup lang="ts">
/** The whole sound in a strip, with what is in view framed; drag the frame, or anywhere to go there. */
import { computed, ref } from "vue";

import Waveform from "../../charts/Waveform.vue";
import type { Shown } from "./picture";

const props = defineProps<{ shown: Shown }>();
const emit = defineEmits<{ view: [from: number, to: number] }>();
const strip = ref<HTMLElement>();
const left = computed(() => (100 * props.shown.from) / props.shown.frames);
const wide = computed(() => Math.max(0.4, (100 * (props.shown.to - props.shown.from)) / props.shown.frames));
let grip = 0;
let held = false;

const at = (event: PointerEvent) => {
  const box = strip.value!.getBoundingClientRect();
  return ((event.clientX - box.left) / box.width) * props.shown.frames;
};

function down(event: PointerEvent): void {
  strip.value!.setPointerCapture(event.pointerId);
  held = true;
  const place = at(event);
  const inside = place >= props.shown.from && place <= props.shown.to;
  grip = inside ? place - props.shown.from : (props.shown.to - props.shown.from) / 2;
  move(event);
}

function move(event: PointerEvent): void {
  if (!held) return;
  const from = at(event) - grip;
  emit("view", from, from + props.shown.to - props.shown.from);
}
</script>

<template>
  <div
    ref="strip"
    class="relative h-9 shrink-0 cursor-grab touch-none"
    aria-hidden="true"
    data-testid="overview"
    @pointerdown="down"
    @pointermove="move"
    @pointerup="held = false"
    @pointercancel="held = false"
  >
    <Waveform :key="shown.key" :digest="shown.key" colour="wave" />
    <i
      class="absolute inset-y-0 border-2 border-focus bg-[color-mix(in_srgb,var(--focus)_8%,transparent)]"
      :style="{ left: `${left}%`, width: `${wide}%` }"
    />
  </div>
</template>
