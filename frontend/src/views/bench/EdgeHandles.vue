<script setup lang="ts">
/** Edges of a region on the waveform: to be dragged, or moved by keys. */
import type { Marks } from "./marks";
import { type Area, type Shown, xOf } from "./picture";

const props = defineProps<{ marks: Marks; shown: Shown; area: Area }>();
const emit = defineEmits<{
  grab: [event: PointerEvent, id: string];
  nudge: [id: string, how: "ms" | "sample" | "zero", way: -1 | 1];
}>();
const x = (at: number) => xOf(props.shown, props.area.width, at * props.shown.rate);
const inView = (at: number) => x(at) >= -1 && x(at) <= props.area.width + 1;

/** Labels stand inside their region, or outside where it is narrow, one lower so that they never meet. */
function labelPlace(index: number): string {
  const [one, other] = props.marks.edges;
  const narrow = other !== undefined && x(other.at) - x(one!.at) < 150;
  const inside = index === 1 ? "right-2.5" : "left-2.5";
  const outside = index === 1 ? "left-2.5" : "right-2.5";
  const at = x(props.marks.edges[index]!.at);
  const cut = outside === "left-2.5" ? at > props.area.width - 80 : at < 80;
  const row = props.marks.keeps ? (narrow && index === 1 ? "bottom-7" : "bottom-1") : narrow && index === 1 ? "top-7" : "top-1";
  return `${row} ${narrow && !cut ? outside : inside}`;
}

function key(event: KeyboardEvent, id: string): void {
  const way = event.key === "ArrowLeft" ? -1 : event.key === "ArrowRight" ? 1 : 0;
  if (!way) return;
  event.preventDefault();
  event.stopPropagation();
  emit("nudge", id, event.altKey ? "zero" : event.shiftKey ? "sample" : "ms", way);
}
</script>

<template>
  <template v-for="(edge, i) in marks.edges" :key="edge.id">
    <div
      v-if="inView(edge.at)"
      class="group absolute top-0 z-10 -ml-2 w-4 cursor-ew-resize"
      role="slider"
      tabindex="0"
      :aria-label="edge.word"
      :aria-valuenow="Number(edge.at.toFixed(5))"
      :aria-valuemin="0"
      :aria-valuemax="Number((shown.frames / shown.rate).toFixed(5))"
      :aria-valuetext="`${edge.at.toFixed(4)} s`"
      :title="`${edge.word}: drag, or arrow keys by 1 ms (Shift: one sample, Alt: zero crossing)`"
      :data-edge="edge.id"
      :style="{ left: `${x(edge.at)}px`, height: `${area.height}px` }"
      @pointerdown="emit('grab', $event, edge.id)"
      @keydown="key($event, edge.id)"
      @dblclick.stop
    >
      <i class="absolute inset-y-0 left-2 w-0.5 -translate-x-px" :style="{ background: `var(--${marks.colour})` }" />
      <span
        class="over-picture pointer-events-none absolute font-semibold whitespace-nowrap"
        :class="labelPlace(i)"
        :style="{ color: `color-mix(in srgb, var(--${marks.colour}) 50%, var(--ink))` }"
        >{{ edge.word }}</span
      >
    </div>
  </template>
</template>
