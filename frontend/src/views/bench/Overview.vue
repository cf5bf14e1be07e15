<script setup lang="ts">
/** The whole sound in a strip, with what is in view framed; drag the frame, or anywhere to go there. */
import { computed, ref } from "vue";

import { followPointer } from "../../composables/pointer";
import Waveform from "../../charts/Waveform.vue";
import type { Shown } from "./picture";

const props = defineProps<{ shown: Shown }>();
const emit = defineEmits<{ view: [from: number, to: number] }>();
const strip = ref<HTMLElement>();
const left = computed(() => (100 * props.shown.from) / props.shown.frames);
const wide = computed(() => Math.max(0.4, (100 * (props.shown.to - props.shown.from)) / props.shown.frames));
let grip = 0;

const at = (event: PointerEvent) => {
  const box = strip.value!.getBoundingClientRect();
  return ((event.clientX - box.left) / box.width) * props.shown.frames;
};

function down(event: PointerEvent): void {
  const { from, to } = props.shown;
  const place = at(event);
  const inside = place >= props.shown.from && place <= props.shown.to;
  grip = inside ? place - props.shown.from : (props.shown.to - props.shown.from) / 2;
  move(event);
  followPointer(event, move, (cancelled) => cancelled && emit("view", from, to));
}

function move(event: PointerEvent): void {
  const from = at(event) - grip;
  emit("view", from, from + props.shown.to - props.shown.from);
}
</script>

<template>
  <div ref="strip" class="relative h-9 shrink-0 cursor-grab touch-none" aria-hidden="true" data-testid="overview" @pointerdown="down">
    <Waveform :key="shown.key" :digest="shown.key" colour="wave" />
    <i
      class="absolute inset-y-0 border-2 border-focus bg-[color-mix(in_srgb,var(--focus)_8%,transparent)]"
      :style="{ left: `${left}%`, width: `${wide}%` }"
    />
  </div>
</template>
