<script setup lang="ts">
/** The bands of an equaliser on its curve: dragged across for frequency, up for gain; the wheel sharpens. */
import { computed, ref } from "vue";

import { type Effect, number, type Settings, type Value, word } from "../../../api/types";
import { followPointer } from "../../../composables/pointer";
import { axesOf, shareOf } from "./curve";

const props = defineProps<{ effect: Effect; width: number; height: number }>();
const emit = defineEmits<{ move: [id: string, value: Value]; rest: [values: Settings] }>();
const AXES = axesOf("response", []);
const GAINED = ["bell", "low shelf", "high shelf"];
const svg = ref<SVGSVGElement>();

const bands = computed(() =>
  [1, 2, 3, 4, 5, 6, 7, 8].flatMap((n) => {
    const s = props.effect.settings;
    const shape = word(s, `shape_${n}`);
    if (shape === "off") return [];
    const [hz, gain, q] = [number(s, `hz_${n}`), number(s, `gain_${n}`), number(s, `q_${n}`)];
    const gained = GAINED.includes(shape);
    const x = props.width * shareOf(hz, AXES.x, true);
    const y = props.height * (1 - shareOf(gained ? gain : 0, AXES.y));
    return [{ n, shape, hz, gain, q, gained, x, y }];
  }),
);
type Band = (typeof bands.value)[number];
let moved: Settings = {};

function set(band: Band, hz: number, gain: number, q = band.q): void {
  const values: Record<string, number> = {
    [`hz_${band.n}`]: Number(Math.min(20_000, Math.max(20, hz)).toPrecision(4)),
    [`q_${band.n}`]: Number(Math.min(12, Math.max(0.3, q)).toPrecision(3)),
  };
  if (band.gained) values[`gain_${band.n}`] = Number(Math.min(24, Math.max(-24, gain)).toFixed(1));
  moved = values;
  for (const [id, value] of Object.entries(values)) emit("move", id, value);
}
function down(event: PointerEvent, band: Band): void {
  moved = {};
  followPointer(
    event,
    (now) => drag(now, band),
    (cancelled) => release(cancelled, band),
  );
}
function drag(event: PointerEvent, band: Band): void {
  const box = svg.value!.getBoundingClientRect();
  const across = (event.clientX - box.left) / box.width;
  const up = 1 - (event.clientY - box.top) / box.height;
  set(band, AXES.x[0] * (AXES.x[1] / AXES.x[0]) ** across, AXES.y[0] + up * (AXES.y[1] - AXES.y[0]));
}
function release(cancelled: boolean, before: Band): void {
  if (!Object.keys(moved).length) return;
  if (cancelled) set(before, before.hz, before.gain);
  else emit("rest", moved);
}
function sharpen(event: WheelEvent, band: Band): void {
  set(band, band.hz, band.gain, band.q * (event.deltaY < 0 ? 1.12 : 1 / 1.12));
  emit("rest", moved);
}
function nudge(event: KeyboardEvent, band: Band): void {
  const by = { ArrowLeft: [1 / 1.03, 0], ArrowRight: [1.03, 0], ArrowUp: [1, 0.5], ArrowDown: [1, -0.5] }[event.key];
  if (!by) return;
  event.preventDefault();
  event.stopPropagation();
  set(band, band.hz * by[0]!, band.gain + by[1]!);
  emit("rest", moved);
}
</script>

<template>
  <svg ref="svg" :viewBox="`0 0 ${width} ${height}`" class="absolute inset-0 block w-full touch-none" role="group" aria-label="Bands">
    <g v-for="band in bands" :key="band.n">
      <circle
        :cx="band.x"
        :cy="band.y"
        r="8"
        class="cursor-move fill-sheet stroke-ink"
        tabindex="0"
        role="button"
        :aria-label="`Band ${band.n}, ${band.shape}, ${Math.round(band.hz)} Hz, ${band.gain} dB: arrows move it`"
        @pointerdown="down($event, band)"
        @wheel.prevent="sharpen($event, band)"
        @keydown="nudge($event, band)"
      />
      <text :x="band.x" :y="band.y + 3.5" text-anchor="middle" class="pointer-events-none fill-ink text-[10px] font-medium">
        {{ band.n }}
      </text>
    </g>
  </svg>
</template>
