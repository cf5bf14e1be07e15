<script setup lang="ts">
/** A moment and a little around it: edges and fades are dragged, or moved by keys. */
import { useElementSize } from "@vueuse/core";
import { computed, ref, shallowRef, toRef, watch } from "vue";

import { followPointer } from "../../composables/pointer";
import type { Moment } from "../../api/types";
import { drawWave, token } from "../../charts/peaks";
import { useDrawing } from "../../composables/drawing";
import { useTakes } from "../../stores/takes";
import { fetchTakePeaks } from "./takePeaks";

const AROUND = 0.15;
const NUDGE_S = 0.001;
const MANY_NUDGE_S = 0.05;
const props = defineProps<{ moment: Moment; length: number; head: number | null }>();
const emit = defineEmits<{ place: [start: number, end: number]; fade: [which: "fade_in" | "fade_out", ms: number] }>();
const takes = useTakes();
const box = ref<HTMLElement>();
const canvas = ref<HTMLCanvasElement>();
const { width } = useElementSize(box);
type Handle = "start" | "end" | "fade_in" | "fade_out";
const dragged = shallowRef<Partial<Record<Handle, number>>>({});
const grabbed = ref<Handle | null>(null);

/** What is shown stays while an edge is dragged. */
const shown = shallowRef(around());
function around(): { from: number; to: number } {
  const room = Math.max(0.05, AROUND * (props.moment.end - props.moment.start));
  return { from: Math.max(0, props.moment.start - room), to: Math.min(props.length, props.moment.end + room) };
}
watch([() => props.moment.start, () => props.moment.end], () => (shown.value = around()));

const start = computed(() => dragged.value.start ?? props.moment.start);
const end = computed(() => dragged.value.end ?? props.moment.end);
const fadeIn = computed(() => Math.min(end.value - start.value, dragged.value.fade_in ?? props.moment.fade_in / 1_000));
const fadeOut = computed(() => Math.min(end.value - start.value, dragged.value.fade_out ?? props.moment.fade_out / 1_000));
const x = (at: number) => ((at - shown.value.from) / (shown.value.to - shown.value.from)) * width.value;

const peaks = shallowRef<Int16Array | null>(null);
watch(
  [toRef(() => takes.address), shown, width],
  async () => {
    if (width.value < 2 || takes.id === null || !props.length) return;
    const { from, to } = shown.value;
    const found = await fetchTakePeaks(takes.id, takes.sound, from / props.length, to / props.length, Math.round(width.value)).catch(
      () => null,
    );
    if (shown.value.from === from && shown.value.to === to) peaks.value = found;
  },
  { immediate: true },
);
const { height } = useDrawing(canvas, (pen) => peaks.value && drawWave(pen, peaks.value, width.value, height.value, token("madder")), [
  peaks,
  width,
]);

/** A quarter of a sine, as it will be heard. */
function curve(from: number, seconds: number, way: 1 | -1): string {
  const points = Array.from({ length: 17 }, (_, i) => {
    const share = i / 16;
    return `${x(from + way * share * seconds)},${(1 - Math.sin((share * Math.PI) / 2)) * (height.value - 2) + 1}`;
  });
  return points.join(" ");
}

const HANDLES: { id: Handle; word: string }[] = [
  { id: "start", word: "Start of the moment" },
  { id: "end", word: "End of the moment" },
  { id: "fade_in", word: "End of the fade in" },
  { id: "fade_out", word: "Start of the fade out" },
];
const places = computed<Record<Handle, number>>(() => ({
  start: start.value,
  end: end.value,
  fade_in: start.value + fadeIn.value,
  fade_out: end.value - fadeOut.value,
}));

function moved(handle: Handle, at: number): Partial<Record<Handle, number>> {
  if (handle === "start") return { start: Math.min(Math.max(0, at), end.value - 0.02) };
  if (handle === "end") return { end: Math.max(Math.min(props.length, at), start.value + 0.02) };
  const long = handle === "fade_in" ? at - start.value : end.value - at;
  return { [handle]: Math.min(Math.max(0, long), end.value - start.value) };
}

function rest(): void {
  const { start: from, end: to, fade_in, fade_out } = dragged.value;
  if (from !== undefined || to !== undefined) emit("place", from ?? props.moment.start, to ?? props.moment.end);
  if (fade_in !== undefined) emit("fade", "fade_in", Math.round(1e4 * fade_in) / 10);
  if (fade_out !== undefined) emit("fade", "fade_out", Math.round(1e4 * fade_out) / 10);
  dragged.value = {};
}

function grab(event: PointerEvent, handle: Handle): void {
  grabbed.value = handle;
  followPointer(event, drag, drop);
}
function drag(event: PointerEvent): void {
  if (!grabbed.value || !box.value) return;
  const { left } = box.value.getBoundingClientRect();
  const at = shown.value.from + ((event.clientX - left) / width.value) * (shown.value.to - shown.value.from);
  dragged.value = moved(grabbed.value, at);
}
function drop(cancelled: boolean): void {
  if (cancelled) dragged.value = {};
  else rest();
  grabbed.value = null;
}
function key(event: KeyboardEvent, handle: Handle): void {
  const way = event.key === "ArrowLeft" ? -1 : event.key === "ArrowRight" ? 1 : 0;
  if (!way) return;
  event.preventDefault();
  event.stopPropagation();
  dragged.value = moved(handle, places.value[handle] + way * (event.shiftKey ? MANY_NUDGE_S : NUDGE_S));
  rest();
}
</script>

<template>
  <div ref="box" class="relative h-28 touch-none overflow-hidden border border-hairline bg-sheet" data-testid="moment-picture">
    <canvas ref="canvas" class="block h-full w-full" aria-hidden="true" />
    <i
      class="absolute inset-y-0 left-0 bg-[color-mix(in_srgb,var(--paper)_75%,transparent)]"
      :style="{ width: `${Math.max(0, x(start))}px` }"
    />
    <i
      class="absolute inset-y-0 right-0 bg-[color-mix(in_srgb,var(--paper)_75%,transparent)]"
      :style="{ width: `${Math.max(0, width - x(end))}px` }"
    />
    <svg class="absolute inset-0 h-full w-full" aria-hidden="true">
      <polyline :points="curve(start, fadeIn, 1)" fill="none" stroke="var(--ink)" stroke-width="1.25" />
      <polyline :points="curve(end, fadeOut, -1)" fill="none" stroke="var(--ink)" stroke-width="1.25" />
    </svg>
    <i
      v-if="head !== null && head >= shown.from && head <= shown.to"
      class="absolute inset-y-0 w-0.5 bg-[var(--madder)]"
      :style="{ left: `${x(head)}px` }"
    />
    <div
      v-for="{ id, word } in HANDLES"
      :key="id"
      class="absolute z-10 -ml-1.5 w-3"
      :class="id.startsWith('fade') ? 'top-0 h-4 cursor-ew-resize' : 'inset-y-0 cursor-ew-resize'"
      role="slider"
      tabindex="0"
      :aria-label="word"
      :aria-valuenow="Number(places[id].toFixed(4))"
      aria-valuemin="0"
      :aria-valuemax="Number(length.toFixed(3))"
      :aria-valuetext="`${places[id].toFixed(3)} s`"
      :title="`${word}: drag, or arrow keys by 1 ms (Shift: 50 ms)`"
      :style="{ left: `${x(places[id])}px` }"
      @pointerdown="grab($event, id)"
      @keydown="key($event, id)"
    >
      <i v-if="id.startsWith('fade')" class="absolute top-0.5 left-0.5 size-2 rounded-full border border-ink bg-sheet" />
      <i v-else class="absolute inset-y-0 left-1.5 w-0.5 -translate-x-px bg-ink" />
    </div>
  </div>
</template>
