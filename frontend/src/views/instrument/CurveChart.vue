<script setup lang="ts">
/** A curve through breakpoints, each stretch with a bend, or drawn freely; the needle is what comes now. */
import { computed, ref, watch } from "vue";

import { followPointer } from "../../composables/pointer";
import { bent as slope } from "../../charts/bend";
import type { Point } from "../../api/types";
import { useProject } from "../../stores/project";
import { useFreeDrawing } from "./freeDrawing";

const props = defineProps<{ points: Point[]; free?: number[]; low?: number; label: string; now?: number | null; drawing?: boolean }>();
const emit = defineEmits<{ points: [points: Point[]]; free: [values: number[]] }>();
const project = useProject();
const W = 320;
const H = 130;
const R = 5;
const MOST = 64;

const svg = ref<SVGSVGElement>();
const held = ref<Point[]>([]);
const strokes = ref<number[]>([]);
const pen = useFreeDrawing(strokes);
function takePointsBack(): void {
  held.value = props.points.map(([t, v, b]) => [t, v, b]);
}
function takeStrokesBack(): void {
  strokes.value = [...(props.free ?? [])];
}
watch(() => props.points, takePointsBack, { immediate: true });
watch(() => props.free, takeStrokesBack, { immediate: true });

const low = computed(() => props.low ?? 0);
const x = (t: number) => R + t * (W - 2 * R);
const y = (v: number) => H - R - ((v - low.value) / (1 - low.value)) * (H - 2 * R);

const bent = (share: number, bend: number) => slope(share, bend, project.catalogue.envelope_steepness);

const line = computed(() => {
  if (strokes.value.length) return strokes.value.map((v, i) => `${x(i / (strokes.value.length - 1))},${y(v)}`).join(" ");
  const made: string[] = [];
  held.value.slice(0, -1).forEach(([t, v, b], i) => {
    const [end, after] = held.value[i + 1]!;
    for (let n = 0; n <= 16; n++) made.push(`${x(t + ((end - t) * n) / 16)},${y(v + (after - v) * bent(n / 16, b))}`);
  });
  return made.join(" ");
});

function place(event: MouseEvent): [number, number] {
  const box = svg.value!.getBoundingClientRect();
  const across = (((event.clientX - box.left) / box.width) * W - R) / (W - 2 * R);
  const up = (H - R - ((event.clientY - box.top) / box.height) * H) / (H - 2 * R);
  const clip = (value: number) => Math.min(1, Math.max(0, value));
  return [clip(across), low.value + clip(up) * (1 - low.value)];
}

function rest(cancelled: boolean): void {
  if (cancelled) takePointsBack();
  else store();
}

function takePoint(event: PointerEvent, i: number): void {
  followPointer(event, (now) => movePoint(i, place(now)), rest);
}

function movePoint(i: number, [t, v]: [number, number]): void {
  const end = held.value.length - 1;
  const before = i === 0 ? 0 : held.value[i - 1]![0];
  const after = i === end ? 1 : held.value[i + 1]![0];
  const time = i === 0 ? 0 : i === end ? 1 : Math.min(after, Math.max(before, t));
  held.value[i] = [time, v, held.value[i]![2]];
}

function takeStretch(event: PointerEvent, i: number): void {
  const [from, bend] = [event.clientY, held.value[i]![2]];
  followPointer(event, (now) => bendStretch(i, bend, from - now.clientY), rest);
}

function bendStretch(i: number, bend: number, up: number): void {
  const rises = held.value[i + 1]![1] >= held.value[i]![1] ? 1 : -1;
  held.value[i]![2] = Math.min(100, Math.max(-100, bend + rises * up));
}

function draw(event: PointerEvent): void {
  if (!props.drawing) return;
  pen.begin(place(event));
  followPointer(event, (now) => pen.to(place(now)), restStrokes);
}

function restStrokes(cancelled: boolean): void {
  if (cancelled) takeStrokesBack();
  else
    emit(
      "free",
      strokes.value.map((v) => Number(v.toFixed(4))),
    );
}

function store(): void {
  emit(
    "points",
    held.value.map(([t, v, b]) => [Number(t.toFixed(4)), Number(v.toFixed(4)), Math.round(b)]),
  );
}

function add(event: MouseEvent): void {
  if (held.value.length >= MOST || props.drawing) return;
  const [t, v] = place(event);
  const at = held.value.findIndex(([time]) => time > t);
  held.value.splice(at < 1 ? held.value.length - 1 : at, 0, [t, v, 0]);
  store();
}

function remove(i: number): void {
  if (i === 0 || i === held.value.length - 1) return;
  held.value.splice(i, 1);
  store();
}

function nudge(event: KeyboardEvent, i: number): void {
  const by = { ArrowUp: 0.02, ArrowDown: -0.02 }[event.key];
  if (by !== undefined) {
    held.value[i]![1] = Math.min(1, Math.max(low.value, held.value[i]![1] + by));
    store();
  } else if (event.key === "Delete") remove(i);
  else return;
  event.preventDefault();
}
const middle = (i: number) => {
  const [t, v, b] = held.value[i]!;
  const [end, after] = held.value[i + 1]!;
  return [x((t + end) / 2), y(v + (after - v) * bent(0.5, b))] as const;
};
</script>

<template>
  <svg
    ref="svg"
    :viewBox="`0 0 ${W} ${H}`"
    class="block w-full touch-none border border-hairline bg-sheet"
    role="group"
    :aria-label="`${label}. Double-click adds a point; drag between points to bend.`"
    @dblclick="add"
    @pointerdown.self="draw"
  >
    <line v-if="low < 0" :x1="R" :x2="W - R" :y1="y(0)" :y2="y(0)" class="stroke-hairline" />
    <line
      v-if="now !== null && now !== undefined"
      :x1="x(now)"
      :x2="x(now)"
      y1="4"
      :y2="H - 4"
      class="stroke-soft"
      stroke-dasharray="3 3"
    />
    <polyline :points="line" fill="none" stroke="var(--petal, var(--ink))" stroke-width="1.8" class="pointer-events-none" />
    <template v-if="!strokes.length && !drawing">
      <circle
        v-for="i in held.length - 1"
        :key="`b${i}`"
        :cx="middle(i - 1)[0]"
        :cy="middle(i - 1)[1]"
        r="7"
        fill="transparent"
        class="cursor-ns-resize"
        @pointerdown="takeStretch($event, i - 1)"
      />
      <circle
        v-for="([t, v], i) in held"
        :key="i"
        :cx="x(t)"
        :cy="y(v)"
        :r="R"
        class="cursor-move fill-sheet stroke-ink"
        stroke-width="1.4"
        tabindex="0"
        role="button"
        :aria-label="`Point ${i + 1}: arrows move it, Delete removes it`"
        @pointerdown="takePoint($event, i)"
        @dblclick.stop="remove(i)"
        @keydown="nudge($event, i)"
      />
    </template>
  </svg>
</template>
