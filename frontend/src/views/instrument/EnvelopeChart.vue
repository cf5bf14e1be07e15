<script setup lang="ts">
/** The amplitude envelope, drawn and dragged: points for times and sustain, middles for curves. */
import { computed, ref } from "vue";

import type { Parameter } from "../../api/client";
import { fromShare, spoken, toShare } from "../../controls/scale";
import { type Layer, useInstrument } from "../../stores/instrument";

const props = defineProps<{ layer: Layer; index: number; parameters: Parameter[] }>();
const instrument = useInstrument();

const W = 320;
const H = 84;
const TOP = 8;
const FLOOR = H - 4;
/** Widths on the picture: times on a log scale, the held level a fixed stretch. */
const SPANS = { attack: 96, decay: 80, release: 104 };
const HELD = 40;
const STEEP = 6;

const svg = ref<SVGSVGElement>();
const s = computed(() => props.layer.settings);
const p = (id: string) => props.parameters.find((one) => one.id === id)!;
const y = (level: number) => FLOOR - level * (FLOOR - TOP);
const span = (id: keyof typeof SPANS) => 6 + (SPANS[id] - 6) * toShare(p(id), s.value[id] ?? p(id).default);

const x1 = computed(() => span("attack"));
const x2 = computed(() => x1.value + span("decay"));
const x3 = computed(() => x2.value + HELD);
const x4 = computed(() => x3.value + span("release"));
const sustain = computed(() => (s.value.sustain ?? 100) / 100);

/** The engine's own family of curves, see kernels/envelope.py. */
function bent(x: number, curve: number): number {
  const k = (STEEP * curve) / 100;
  return Math.abs(k) < 1e-4 ? x : (1 - Math.exp(-k * x)) / (1 - Math.exp(-k));
}

function points(from: number, to: number, high: number, low: number, curve: number): string {
  return Array.from({ length: 17 }, (_, i) => {
    const level = high + (low - high) * bent(i / 16, curve);
    return `${(from + ((to - from) * i) / 16).toFixed(1)},${y(level).toFixed(1)}`;
  }).join(" ");
}

const path = computed(() => {
  const { attack_curve = 0, decay_curve = 0, release_curve = 0 } = s.value;
  return [
    points(0, x1.value, 0, 1, attack_curve),
    points(x1.value, x2.value, 1, sustain.value, decay_curve),
    points(x3.value, x4.value, sustain.value, 0, release_curve),
  ].join(" ");
});

interface Handle {
  id: string;
  x: number;
  y: number;
  curve: boolean;
  across?: keyof typeof SPANS;
  up?: string;
}

const handles = computed<Handle[]>(() => {
  const { attack_curve = 0, decay_curve = 0, release_curve = 0 } = s.value;
  const level = sustain.value;
  return [
    { id: "attack", x: x1.value, y: y(1), across: "attack", curve: false },
    { id: "decay", x: x2.value, y: y(level), across: "decay", up: "sustain", curve: false },
    { id: "release", x: x4.value, y: y(0), across: "release", curve: false },
    { id: "attack_curve", x: x1.value / 2, y: y(bent(0.5, attack_curve)), up: "attack_curve", curve: true },
    { id: "decay_curve", x: (x1.value + x2.value) / 2, y: y(1 + (level - 1) * bent(0.5, decay_curve)), up: "decay_curve", curve: true },
    { id: "release_curve", x: (x3.value + x4.value) / 2, y: y(level * (1 - bent(0.5, release_curve))), up: "release_curve", curve: true },
  ];
});

let held: Handle | null = null;
let changed: Record<string, number> = {};

function down(event: PointerEvent, handle: Handle): void {
  (event.currentTarget as Element).setPointerCapture(event.pointerId);
  held = handle;
  changed = {};
}

function move(event: PointerEvent): void {
  if (!held || !svg.value) return;
  const box = svg.value.getBoundingClientRect();
  const x = ((event.clientX - box.left) / box.width) * W;
  const level = Math.min(1, Math.max(0, (FLOOR - ((event.clientY - box.top) / box.height) * H) / (FLOOR - TOP)));
  if (held.across) {
    const start = { attack: 0, decay: x1.value, release: x3.value }[held.across];
    set(held.across, fromShare(p(held.across), (x - start - 6) / (SPANS[held.across] - 6)));
  }
  if (held.up === "sustain") set("sustain", Math.round(1000 * level) / 10);
  else if (held.up) set(held.up, curveThrough(held.up, level));
}

/** The curve whose middle comes closest to a level. */
function curveThrough(id: string, level: number): number {
  const [high, low] = id === "attack_curve" ? [0, 1] : id === "decay_curve" ? [1, sustain.value] : [sustain.value, 0];
  if (Math.abs(high - low) < 0.02) return s.value[id] ?? 0;
  const done = Math.min(0.95, Math.max(0.05, (level - high) / (low - high)));
  // bent(1/2) = 1 / (1 + e^(-k/2))
  const k = -2 * Math.log(1 / done - 1);
  return Math.round(Math.min(100, Math.max(-100, (100 * k) / STEEP)));
}

function set(id: string, value: number): void {
  changed[id] = value;
  instrument.move(props.index, id, value);
}

function up(): void {
  if (held && Object.keys(changed).length) instrument.rest(props.index, changed, "envelope");
  held = null;
}
</script>

<template>
  <svg ref="svg" :viewBox="`0 0 ${W} ${H}`" class="block w-full touch-none border border-hairline bg-sheet" role="img" aria-label="Amplitude envelope; every value also has a rule below">
    <polygon :points="`0,${FLOOR} ${path}`" class="fill-[color-mix(in_srgb,var(--petal)_24%,transparent)]" />
    <polyline :points="`0,${FLOOR} ${path}`" fill="none" stroke="var(--petal)" stroke-width="1.6" />
    <text x="6" :y="FLOOR - 6" class="fill-soft text-[10px]">{{ spoken(p("attack"), s.attack ?? 0) }}</text>
    <text :x="Math.min(x4, W - 4)" :y="FLOOR - 8" text-anchor="end" class="fill-soft text-[10px]">{{ spoken(p("release"), s.release ?? 0) }}</text>
    <g v-for="handle in handles" :key="handle.id" class="cursor-move" @pointerdown="down($event, handle)" @pointermove="move" @pointerup="up" @pointercancel="up">
      <circle :cx="handle.x" :cy="handle.y" r="11" fill="transparent" />
      <circle :cx="handle.x" :cy="handle.y" :r="handle.curve ? 2.5 : 4.5" :class="handle.curve ? 'fill-[var(--petal)]' : 'fill-sheet stroke-ink'" stroke-width="1.4" />
      <title>{{ handle.id.replace("_", " ") }}</title>
    </g>
  </svg>
</template>
