<script setup lang="ts">
/** An envelope, drawn and dragged: points for times and levels, middles for curves. */
import { computed, ref } from "vue";

import { number, type Parameter, type Settings } from "../../api/types";
import { bent as slope } from "../../charts/bend";
import { followPointer } from "../../composables/pointer";
import { fromShare, spoken, toShare } from "../../controls/scale";
import { useProject } from "../../stores/project";

const props = withDefaults(defineProps<{ settings: Settings; parameters: Parameter[]; prefix?: string; what: string }>(), { prefix: "" });
const emit = defineEmits<{ move: [id: string, value: number]; rest: [values: Settings, label: string] }>();
const project = useProject();

const W = 320;
const H = 84;
const TOP = 8;
const FLOOR = H - 4;
/** Widths on the picture: times on their own scale, the held level a fixed stretch. */
const SPANS = { delay: 44, attack: 76, hold: 40, decay: 64, release: 72 };
const HELD = 20;

const svg = ref<SVGSVGElement>();
const p = (id: string) => props.parameters.find((one) => one.id === props.prefix + id)!;
const value = (id: string) => number(props.settings, props.prefix + id);
const level = (id: string) => value(id) / 100;
const y = (share: number) => FLOOR - share * (FLOOR - TOP);
const span = (id: keyof typeof SPANS) => {
  const least = id === "delay" || id === "hold" ? 0 : 6;
  return least + (SPANS[id] - least) * toShare(p(id), value(id));
};

/** Where each stage ends, from the left. */
const ends = computed(() => {
  const delay = span("delay");
  const attack = delay + span("attack");
  const hold = attack + span("hold");
  const decay = hold + span("decay");
  const sustain = decay + HELD;
  return { delay, attack, hold, decay, sustain, release: sustain + span("release") };
});

const bent = (share: number, bend: number) => slope(share, bend, project.catalogue.envelope_steepness);

function points(from: number, to: number, start: number, end: number, curve: number): string {
  return Array.from({ length: 17 }, (_, i) => {
    const at = start + (end - start) * bent(i / 16, curve);
    return `${(from + ((to - from) * i) / 16).toFixed(1)},${y(at).toFixed(1)}`;
  }).join(" ");
}

const path = computed(() => {
  const x = ends.value;
  const [start, peak, sustain, end] = [level("start_level"), level("peak_level"), level("sustain"), level("end_level")];
  return [
    `0,${y(start)}`,
    points(x.delay, x.attack, start, peak, value("attack_curve")),
    points(x.hold, x.decay, peak, sustain, value("decay_curve")),
    points(x.sustain, x.release, sustain, end, value("release_curve")),
  ].join(" ");
});

interface Handle {
  id: string;
  x: number;
  y: number;
  curve?: boolean;
  across?: keyof typeof SPANS;
  up?: string;
}

const handles = computed<Handle[]>(() => {
  const x = ends.value;
  const [start, peak, sustain, end] = [level("start_level"), level("peak_level"), level("sustain"), level("end_level")];
  const middle = (from: number, to: number, curve: string) => from + (to - from) * bent(0.5, value(curve));
  return [
    { id: "delay and start", x: x.delay, y: y(start), across: "delay", up: "start_level" },
    { id: "attack and peak", x: x.attack, y: y(peak), across: "attack", up: "peak_level" },
    { id: "hold", x: x.hold, y: y(peak), across: "hold" },
    { id: "decay and sustain", x: x.decay, y: y(sustain), across: "decay", up: "sustain" },
    { id: "release and end", x: x.release, y: y(end), across: "release", up: "end_level" },
    { id: "attack curve", x: (x.delay + x.attack) / 2, y: y(middle(start, peak, "attack_curve")), up: "attack_curve", curve: true },
    { id: "decay curve", x: (x.hold + x.decay) / 2, y: y(middle(peak, sustain, "decay_curve")), up: "decay_curve", curve: true },
    { id: "release curve", x: (x.sustain + x.release) / 2, y: y(middle(sustain, end, "release_curve")), up: "release_curve", curve: true },
  ];
});
/** Hold lies on the attack while it is nothing: the attack is in front. */
const ordered = computed(() => [...handles.value].sort((a, b) => Number(b.across === "hold") - Number(a.across === "hold")));

let before: Record<string, number> = {};
let changed: Record<string, number> = {};

function down(event: PointerEvent, handle: Handle): void {
  before = changed = {};
  followPointer(event, (now) => move(now, handle), up);
}

function move(event: PointerEvent, held: Handle): void {
  if (!svg.value) return;
  const box = svg.value.getBoundingClientRect();
  const x = ((event.clientX - box.left) / box.width) * W;
  const at = Math.min(1, Math.max(0, (FLOOR - ((event.clientY - box.top) / box.height) * H) / (FLOOR - TOP)));
  if (held.across) {
    const e = ends.value;
    const start = { delay: 0, attack: e.delay, hold: e.attack, decay: e.hold, release: e.sustain }[held.across];
    const least = held.across === "delay" || held.across === "hold" ? 0 : 6;
    set(held.across, fromShare(p(held.across), (x - start - least) / (SPANS[held.across] - least)));
  }
  if (held.up && held.curve) set(held.up, curveThrough(held.up, at));
  else if (held.up) set(held.up, Math.round(1000 * at) / 10);
}

/** The curve whose middle comes closest to a level. */
function curveThrough(id: string, at: number): number {
  const [from, to] = {
    attack_curve: [level("start_level"), level("peak_level")],
    decay_curve: [level("peak_level"), level("sustain")],
    release_curve: [level("sustain"), level("end_level")],
  }[id] as [number, number];
  if (Math.abs(to - from) < 0.02) return value(id);
  const done = Math.min(0.95, Math.max(0.05, (at - from) / (to - from)));
  // bent(1/2) = 1 / (1 + e^(-k/2))
  const k = -2 * Math.log(1 / done - 1);
  return Math.round(Math.min(100, Math.max(-100, (100 * k) / project.catalogue.envelope_steepness)));
}

function set(id: string, to: number): void {
  const key = props.prefix + id;
  before = { [key]: value(id), ...before };
  changed = { ...changed, [key]: to };
  emit("move", key, to);
}

function up(cancelled: boolean): void {
  if (cancelled) for (const [key, was] of Object.entries(before)) emit("move", key, was);
  else if (Object.keys(changed).length) emit("rest", changed, "envelope");
}
</script>

<template>
  <svg
    ref="svg"
    :viewBox="`0 0 ${W} ${H}`"
    class="block w-full touch-none border border-hairline bg-sheet"
    role="img"
    :aria-label="`${what}; every value also has a rule below`"
  >
    <polygon :points="`0,${FLOOR} ${path} ${ends.release},${FLOOR}`" class="fill-[color-mix(in_srgb,var(--petal)_24%,transparent)]" />
    <polyline :points="path" fill="none" stroke="var(--petal)" stroke-width="1.6" />
    <text x="6" :y="TOP + 8" class="fill-soft text-[10px]">{{ spoken(p("attack"), value("attack")) }}</text>
    <text :x="W - 4" :y="TOP + 8" text-anchor="end" class="fill-soft text-[10px]">{{ spoken(p("release"), value("release")) }}</text>
    <g v-for="handle in ordered" :key="handle.id" class="cursor-move" @pointerdown="down($event, handle)">
      <circle :cx="handle.x" :cy="handle.y" r="10" fill="transparent" />
      <circle
        :cx="handle.x"
        :cy="handle.y"
        :r="handle.curve ? 2.5 : 4.2"
        :class="handle.curve ? 'fill-[var(--petal)]' : 'fill-sheet stroke-ink'"
        stroke-width="1.4"
      />
      <title>{{ handle.id }}</title>
    </g>
  </svg>
</template>
