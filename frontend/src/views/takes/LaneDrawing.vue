<script setup lang="ts">
/** A lane drawn again over its stretch: press and draw; it is kept when let go. */
import { useElementSize } from "@vueuse/core";
import { computed, ref, shallowRef } from "vue";

import { followPointer } from "../../composables/pointer";
import type { Lane } from "../../api/types";
import { stepsOf } from "../../charts/takeLine";

const MOST_POINTS = 600;
const props = defineProps<{ lane: Lane; from: number; to: number }>();
const emit = defineEmits<{ drew: [points: [number, number][]]; leave: [] }>();
const box = ref<HTMLElement>();
const { width, height } = useElementSize(box);
const drawn = shallowRef<[number, number][]>([]);

const x = (at: number) => ((at - props.from) / (props.to - props.from || 1)) * width.value;
const y = (value: number) => (1 - (value - props.lane.low) / (props.lane.high - props.lane.low || 1)) * height.value;
const line = (points: [number, number][]) => points.map(([at, value]) => `${x(at)},${y(value)}`).join(" ");
const before = computed(() => line(stepsOf(props.lane, props.from, props.to)));

function point(event: PointerEvent): void {
  if (!box.value) return;
  const { left, top } = box.value.getBoundingClientRect();
  const at = props.from + (Math.min(Math.max(0, event.clientX - left), width.value) / width.value) * (props.to - props.from);
  const share = 1 - Math.min(Math.max(0, event.clientY - top), height.value) / height.value;
  const value = props.lane.low + share * (props.lane.high - props.lane.low);
  // drawn backward, it takes what lay ahead with it
  const kept = drawn.value.filter(([moment]) => moment < at).slice(-MOST_POINTS);
  drawn.value = [...kept, [at, value]];
}
function press(event: PointerEvent): void {
  drawn.value = [];
  point(event);
  followPointer(event, point, release);
}
function release(cancelled: boolean): void {
  if (cancelled) drawn.value = [];
  else if (drawn.value.length > 1) emit("drew", drawn.value);
}
</script>

<template>
  <div class="flex flex-col gap-1">
    <div
      ref="box"
      class="relative h-24 cursor-crosshair touch-none border border-focus bg-sheet"
      data-testid="lane-drawing"
      @pointerdown="press"
    >
      <svg class="absolute inset-0 h-full w-full" aria-hidden="true">
        <polyline :points="before" fill="none" stroke="var(--ink-soft)" stroke-width="1" stroke-dasharray="3 3" />
        <polyline :points="line(drawn)" fill="none" stroke="var(--iris)" stroke-width="2" />
      </svg>
    </div>
    <p class="flex text-xs text-soft">
      <span class="flex-1">Draw {{ lane.name }} from left to right.</span
      ><button class="quiet !py-0" @click="emit('leave')">Leave it</button>
    </p>
  </div>
</template>
