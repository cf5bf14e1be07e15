<script setup lang="ts">
/** A curve drawn by hand: the path of a read-head, a filter over frequency, a level along a sound. */
import { computed, ref, watch } from "vue";

import { followPointer } from "../../composables/pointer";
import { useInstrument } from "../../stores/instrument";

const props = defineProps<{
  given: readonly (readonly [number, number])[];
  /** JSON pointer to where it stands. */
  at: string;
  what: "path" | "drawn_filter" | "drawn_level";
}>();
const instrument = useInstrument();
const W = 320;
const H = 72;
const R = 5;
const MOST = 32;

type Point = [number, number];
const svg = ref<SVGSVGElement>();
const points = ref<Point[]>([]);
const WORDS = {
  path: { name: "path", across: "time", up: "place", about: "Drawn path: time across, place in the sound upward." },
  drawn_filter: {
    name: "drawn filter",
    across: "20 Hz to 20 kHz",
    up: "0 to \u221260 dB",
    about: "Drawn filter: frequency across, level upward.",
  },
  drawn_level: { name: "drawn level", across: "along the sound", up: "level", about: "Drawn level: along the sound across, gain upward." },
};
const words = computed(() => WORDS[props.what]);
function takeBack(): void {
  points.value = props.given.map(([t, y]) => [t, y]);
}
watch(() => props.given, takeBack, { immediate: true });

const x = (t: number) => R + t * (W - 2 * R);
const y = (place: number) => H - R - place * (H - 2 * R);
const line = computed(() => points.value.map(([t, place]) => `${x(t)},${y(place)}`).join(" "));

function place(event: MouseEvent): Point {
  const box = svg.value!.getBoundingClientRect();
  const share = (value: number) => Math.min(1, Math.max(0, value));
  return [
    share((((event.clientX - box.left) / box.width) * W - R) / (W - 2 * R)),
    share((H - R - ((event.clientY - box.top) / box.height) * H) / (H - 2 * R)),
  ];
}

function down(event: PointerEvent, i: number): void {
  followPointer(
    event,
    (now) => move(now, i),
    (cancelled) => (cancelled ? takeBack() : store()),
  );
}

function move(event: PointerEvent, i: number): void {
  const [t, at] = place(event);
  const last = points.value.length - 1;
  const before = i === 0 ? 0 : points.value[i - 1]![0];
  const after = i === last ? 1 : points.value[i + 1]![0];
  // the ends stay at the ends
  const time = i === 0 ? 0 : i === last ? 1 : Math.min(after, Math.max(before, t));
  points.value[i] = [time, at];
}

function add(event: MouseEvent): void {
  if (points.value.length >= MOST) return;
  const point = place(event);
  const at = points.value.findIndex(([t]) => t > point[0]);
  points.value.splice(at < 1 ? points.value.length - 1 : at, 0, point);
  store();
}

function remove(i: number): void {
  if (i === 0 || i === points.value.length - 1) return;
  points.value.splice(i, 1);
  store();
}

function store(): void {
  const rounded = points.value.map(([t, at]) => [Number(t.toFixed(4)), Number(at.toFixed(4))]);
  void instrument.edit(words.value.name, [{ op: "replace", path: props.at, value: rounded }]);
}

function nudge(event: KeyboardEvent, i: number): void {
  const by = { ArrowUp: 0.02, ArrowDown: -0.02 }[event.key];
  if (by !== undefined) {
    const [t, at] = points.value[i]!;
    points.value[i] = [t, Math.min(1, Math.max(0, at + by))];
    store();
  } else if (event.key === "Delete") remove(i);
  else return;
  event.preventDefault();
}
</script>

<template>
  <svg
    ref="svg"
    :viewBox="`0 0 ${W} ${H}`"
    class="mb-2 block w-full shrink-0 touch-none border border-hairline bg-sheet"
    role="group"
    :aria-label="`${words.about} Double-click adds a point.`"
    :data-testid="what"
    @dblclick="add"
  >
    <polyline :points="line" fill="none" stroke="var(--petal)" stroke-width="1.6" />
    <text x="6" y="14" class="fill-soft text-[10px]">{{ words.up }}</text>
    <text :x="W / 2" :y="H - 6" text-anchor="middle" class="fill-soft text-[10px]">{{ words.across }}</text>
    <circle
      v-for="([t, at], i) in points"
      :key="i"
      :cx="x(t)"
      :cy="y(at)"
      :r="R"
      class="cursor-move fill-sheet stroke-ink"
      stroke-width="1.4"
      tabindex="0"
      role="button"
      :aria-label="`Point ${i + 1} of the ${words.name}: arrows move it, Delete removes it`"
      @pointerdown="down($event, i)"
      @dblclick.stop="remove(i)"
      @keydown="nudge($event, i)"
    />
  </svg>
</template>
