<script setup lang="ts">
/** Waveform over spectrogram on one time axis: zoom, scroll, listen, and drag a step's marks. */
import { computed, ref, shallowRef, watch } from "vue";

import type { Onsets, Pitch } from "../../api/types";
import { frequencyAt, frequencyMarks, frequencyShare, timeMarks } from "../../charts/axes";
import { token } from "../../charts/peaks";
import { Painter, palette } from "../../charts/spectrumColours";
import { Tiles } from "../../charts/tiles";
import { useDrawing } from "../../composables/drawing";
import { useProject } from "../../stores/project";
import { useLight } from "../../theme/light";
import { noteName, noteOf } from "../../theme/words";
import type { Marks } from "./marks";
import type { Settings } from "./PictureSettings.vue";
import {
  type Area,
  drawOnsetStrength,
  drawPartials,
  drawPitch,
  drawSpectrum,
  drawWaveform,
  type Partials,
  type Shown,
  xOf,
} from "./picture";

const props = defineProps<{
  shown: Shown;
  settings: Settings;
  loudest: number;
  marks: Marks | null;
  pitch: Pitch | null;
  onsets: Onsets | null;
  splits: number[];
  piece: { start: number; end: number; kept: boolean } | null;
  heardAt: number | null;
  rootHz: number | null;
  partials?: Partials;
}>();
const emit = defineEmits<{
  view: [from: number, to: number];
  listen: [at: number];
  drag: [values: Record<string, number>];
  drop: [values: Record<string, number>];
  split: [at: number];
  root: [hz: number];
  nudge: [id: string, how: "ms" | "sample" | "zero", way: -1 | 1];
}>();

const canvas = ref<HTMLCanvasElement>();
const { light } = useLight();
const project = useProject();
const painter = new Painter();
const tiles = new Tiles(() => ask());
const colours = shallowRef<Uint32Array>(new Uint32Array(256));
const framesDrawn = ref(0);

const WAVE_SHARE = 0.44;
const AXIS = 20;
const GAP = 8;
const wave = computed<Area>(() => ({ top: 0, height: Math.max(40, (height.value - AXIS - GAP) * WAVE_SHARE), width: width.value }));
const spectrum = computed<Area>(() => ({
  top: wave.value.height + GAP,
  height: Math.max(40, height.value - AXIS - GAP - wave.value.height),
  width: width.value,
}));
const seconds = (frames: number) => frames / props.shown.rate;
const marksInView = computed(() => timeMarks(seconds(props.shown.from), seconds(props.shown.to), width.value / 90));
const hertz = computed(() => frequencyMarks(props.shown.rate, props.settings.axis));
const x = (at: number) => xOf(props.shown, width.value, at * props.shown.rate);
const yOf = (hz: number) => spectrum.value.top + spectrum.value.height * (1 - frequencyShare(hz, props.shown.rate, props.settings.axis));
/** Labels stand inside their region, or outside where it is narrow, one lower so that they never meet. */
function labelPlace(index: number): string {
  const [one, other] = props.marks!.edges;
  const narrow = other !== undefined && x(other.at) - x(one!.at) < 150;
  const inside = index === 1 ? "right-2.5" : "left-2.5";
  const outside = index === 1 ? "left-2.5" : "right-2.5";
  const at = x(props.marks!.edges[index]!.at);
  const cut = outside === "left-2.5" ? at > width.value - 80 : at < 80;
  const row = props.marks!.keeps ? (narrow && index === 1 ? "bottom-7" : "bottom-1") : narrow && index === 1 ? "top-7" : "top-1";
  return `${row} ${narrow && !cut ? outside : inside}`;
}

const inView = (at: number) => x(at) >= -1 && x(at) <= width.value + 1;

function paint(pen: CanvasRenderingContext2D): void {
  pen.fillStyle = token("sheet");
  for (const area of [wave.value, spectrum.value]) pen.fillRect(0, area.top, area.width, area.height);
  clipped(pen, wave.value, () => drawWaveform(pen, tiles, props.shown, wave.value, token("wave-chosen"), props.loudest));
  clipped(pen, spectrum.value, () => {
    drawSpectrum(pen, tiles, painter, colours.value, props.settings.axis, props.shown, spectrum.value);
    if (props.pitch && props.settings.pitch) drawPitch(pen, props.pitch, props.shown, spectrum.value, props.settings.axis, token("madder"));
    if (props.partials)
      drawPartials(pen, props.partials, props.shown, spectrum.value, props.settings.axis, token("madder"), token("focus"));
    if (props.onsets) drawOnsetStrength(pen, props.onsets, props.shown, spectrum.value, token("ink"), token("focus"));
  });
  framesDrawn.value++;
}

function clipped(pen: CanvasRenderingContext2D, area: Area, work: () => void): void {
  pen.save();
  pen.beginPath();
  pen.rect(0, area.top, area.width, area.height);
  pen.clip();
  work();
  pen.restore();
}

/** Colours of the spectrogram, in the light that the page has taken on. */
function repaint(): void {
  const { low, high } = props.settings;
  colours.value = palette(low, high, token("sheet"), token("spectrum-middle"), token("ink"));
}

watch([light, () => props.settings.low, () => props.settings.high], repaint, { immediate: true, flush: "post" });
// shown, pitch and onsets are put in whole; settings change field by field
const settings = computed(() => ({ ...props.settings }));
const { width, height, ask } = useDrawing(canvas, paint, [
  () => props.shown,
  settings,
  () => props.pitch,
  () => props.onsets,
  () => props.partials,
  () => props.loudest,
  colours,
]);

// -- the pointer ---------------------------------------------------------------

type Held = { what: "edge"; id: string } | { what: "region"; from: number } | { what: "pan"; x: number; from: number; to: number };
let held: Held | null = null;
let pressed = { x: 0, y: 0, moved: false };

const atX = (px: number) =>
  Math.min(seconds(props.shown.frames), Math.max(0, seconds(props.shown.from + (px / width.value) * (props.shown.to - props.shown.from))));
const place = (event: PointerEvent | MouseEvent | WheelEvent) => {
  const box = canvas.value!.getBoundingClientRect();
  return { x: event.clientX - box.left, y: event.clientY - box.top };
};

function down(event: PointerEvent): void {
  if (event.button > 1) return;
  const { x: px, y } = place(event);
  (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
  pressed = { x: px, y, moved: false };
  const pans = y > wave.value.height || event.button === 1 || event.altKey;
  held = pans ? { what: "pan", x: px, from: props.shown.from, to: props.shown.to } : { what: "region", from: atX(px) };
}

function grab(event: PointerEvent, id: string): void {
  event.stopPropagation();
  (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
  pressed = { ...place(event), moved: false };
  held = { what: "edge", id };
}

function move(event: PointerEvent): void {
  if (!held) return;
  const { x: px } = place(event);
  if (Math.abs(px - pressed.x) > 3) pressed.moved = true;
  if (!pressed.moved) return;
  if (held.what === "pan") {
    const by = ((held.x - px) / width.value) * (held.to - held.from);
    emit("view", held.from + by, held.to + by);
  } else emit("drag", dragged(px));
}

function dragged(px: number): Record<string, number> {
  const edges = props.marks?.edges ?? [];
  const at = atX(px);
  if (held?.what === "edge") return { [held.id]: within(held.id, at) };
  if (held?.what !== "region" || !edges.length) return {};
  if (edges.length === 1) return { [edges[0]!.id]: at };
  return { [edges[0]!.id]: Math.min(held.from, at), [edges[1]!.id]: Math.max(held.from, at) };
}

/** Edges do not pass each other: a region keeps at least two samples. */
function within(id: string, at: number): number {
  const [one, other] = props.marks!.edges;
  const least = 2 / props.shown.rate;
  if (!other) return at;
  return id === one!.id ? Math.min(at, other.at - least) : Math.max(at, one!.at + least);
}

function up(event: PointerEvent): void {
  if (!held) return;
  const { x: px } = place(event);
  if (!pressed.moved && held.what !== "edge") emit("listen", atX(px));
  else if (pressed.moved && held.what !== "pan") emit("drop", dragged(px));
  held = null;
}

function wheel(event: WheelEvent): void {
  event.preventDefault();
  const span = props.shown.to - props.shown.from;
  if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) {
    const by = ((event.deltaX || event.deltaY) / width.value) * span;
    emit("view", props.shown.from + by, props.shown.to + by);
    return;
  }
  const at = props.shown.from + (place(event).x / width.value) * span;
  zoom(Math.exp(event.deltaY * 0.0022), at);
}

function zoom(factor: number, at = (props.shown.from + props.shown.to) / 2): void {
  emit("view", at - (at - props.shown.from) * factor, at + (props.shown.to - at) * factor);
}

function key(event: KeyboardEvent): void {
  if (event.ctrlKey || event.metaKey) return;
  const span = props.shown.to - props.shown.from;
  const moves: Record<string, () => void> = {
    ArrowLeft: () => emit("view", props.shown.from - span / 10, props.shown.to - span / 10),
    ArrowRight: () => emit("view", props.shown.from + span / 10, props.shown.to + span / 10),
    "+": () => zoom(0.6),
    "=": () => zoom(0.6),
    "-": () => zoom(1 / 0.6),
    Home: () => emit("view", 0, span),
    End: () => emit("view", props.shown.frames - span, props.shown.frames),
    "0": () => emit("view", 0, props.shown.frames),
  };
  if (!moves[event.key]) return;
  event.preventDefault();
  event.stopPropagation();
  moves[event.key]!();
}

const draggedRoot = ref<number | null>(null);
const shownRoot = computed(() => draggedRoot.value ?? props.rootHz ?? project.settings.tuning);
const rootName = computed(() => noteName(noteOf(shownRoot.value, project.settings.tuning)));

function grabRoot(event: PointerEvent): void {
  (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
  draggedRoot.value = props.rootHz;
}

function moveRoot(event: PointerEvent): void {
  if (draggedRoot.value === null) return;
  event.stopPropagation();
  const share = 1 - (place(event).y - spectrum.value.top) / spectrum.value.height;
  draggedRoot.value = Math.min(12_000, Math.max(16, frequencyAt(share, props.shown.rate, props.settings.axis)));
}

function dropRoot(): void {
  const hz = draggedRoot.value;
  draggedRoot.value = null;
  if (hz !== null && props.rootHz && Math.abs(Math.log2(hz / props.rootHz)) > 1e-4) emit("root", hz);
}

function rootKey(event: KeyboardEvent): void {
  const way = { ArrowUp: 1, ArrowDown: -1 }[event.key];
  if (!way || !props.rootHz) return;
  event.preventDefault();
  event.stopPropagation();
  emit("root", props.rootHz * 2 ** ((way * (event.shiftKey ? 1 : 0.01)) / 12));
}

function edgeKey(event: KeyboardEvent, id: string): void {
  const way = event.key === "ArrowLeft" ? -1 : event.key === "ArrowRight" ? 1 : 0;
  if (!way) return;
  event.preventDefault();
  event.stopPropagation();
  emit("nudge", id, event.altKey ? "zero" : event.shiftKey ? "sample" : "ms", way);
}
</script>

<template>
  <div
    class="relative touch-none select-none"
    role="application"
    tabindex="0"
    aria-label="Picture of the sound. Arrow keys scroll, plus and minus zoom, 0 shows all."
    data-testid="picture"
    :data-drawn="framesDrawn"
    @pointerdown="down"
    @pointermove="move"
    @pointerup="up"
    @pointercancel="held = null"
    @dblclick="emit('split', atX(place($event).x))"
    @wheel="wheel"
    @keydown="key"
  >
    <canvas ref="canvas" class="absolute inset-0 h-full w-full" aria-hidden="true" />
    <div class="pointer-events-none absolute inset-0 overflow-hidden">
      <template v-if="marks && marks.edges.length === 2">
        <template v-if="marks.keeps">
          <i
            class="absolute left-0 bg-[color-mix(in_srgb,var(--paper)_78%,transparent)]"
            :style="{ top: 0, height: `${wave.height}px`, width: `${Math.max(0, x(marks.edges[0]!.at))}px` }"
          />
          <i
            class="absolute right-0 bg-[color-mix(in_srgb,var(--paper)_78%,transparent)]"
            :style="{ top: 0, height: `${wave.height}px`, left: `${Math.max(0, x(marks.edges[1]!.at))}px` }"
          />
        </template>
        <i
          v-else
          class="absolute"
          :style="{
            top: 0,
            height: `${wave.height}px`,
            left: `${x(marks.edges[0]!.at)}px`,
            width: `${Math.max(0, x(marks.edges[1]!.at) - x(marks.edges[0]!.at))}px`,
            background: `color-mix(in srgb, var(--${marks.colour}) 16%, transparent)`,
          }"
        />
        <svg class="absolute inset-0 h-full w-full" aria-hidden="true">
          <polygon
            v-if="marks.fadeIn"
            :points="`${x(marks.edges[0]!.at)},0 ${x(marks.edges[0]!.at)},${wave.height} ${x(marks.edges[0]!.at + marks.fadeIn)},0`"
            :fill="`var(--${marks.colour})`"
            opacity="0.28"
          />
          <polygon
            v-if="marks.fadeOut"
            :points="`${x(marks.edges[1]!.at)},0 ${x(marks.edges[1]!.at)},${wave.height} ${x(marks.edges[1]!.at - marks.fadeOut)},0`"
            :fill="`var(--${marks.colour})`"
            opacity="0.28"
          />
        </svg>
      </template>
      <template v-for="(at, i) in splits" :key="`s${i}`">
        <i
          v-if="inView(at)"
          class="absolute top-0 w-px bg-[var(--madder)]"
          :style="{ left: `${x(at)}px`, height: `${wave.height}px`, opacity: splits.length > 60 ? 0.35 : 0.8 }"
        />
      </template>
      <i
        v-if="piece"
        class="absolute top-0 bg-[color-mix(in_srgb,var(--focus)_18%,transparent)]"
        :style="{ left: `${x(piece.start)}px`, width: `${Math.max(1, x(piece.end) - x(piece.start))}px`, height: `${wave.height}px` }"
      />
      <i
        v-if="heardAt !== null && inView(heardAt)"
        class="absolute top-0 w-0.5 bg-[var(--madder)]"
        :style="{ left: `${x(heardAt)}px`, height: `${height - 20}px` }"
        data-testid="head"
      />
      <span
        v-for="mark in hertz"
        :key="mark.at"
        class="absolute right-1 rounded-sm bg-[color-mix(in_srgb,var(--sheet)_80%,transparent)] px-1 text-xs leading-none text-soft"
        :style="{ top: `${yOf(mark.at) - 6}px` }"
        >{{ mark.word }}</span
      >
      <span
        v-for="mark in marksInView"
        :key="mark.at"
        class="absolute bottom-0 -translate-x-1/2 text-xs whitespace-nowrap text-soft"
        :style="{ left: `${Math.min(width - 22, Math.max(22, x(mark.at)))}px` }"
        >{{ mark.word }}</span
      >
    </div>
    <div
      v-if="rootHz && settings.pitch"
      class="absolute right-0 left-0 z-10 -mt-1.5 h-3 cursor-ns-resize"
      role="slider"
      tabindex="0"
      aria-label="Root on the picture"
      aria-orientation="vertical"
      :aria-valuenow="Number(shownRoot.toFixed(2))"
      aria-valuemin="16"
      aria-valuemax="12000"
      :aria-valuetext="rootName"
      title="The root: drag it up or down, or arrow keys by a cent (Shift: a semitone)"
      :style="{ top: `${yOf(shownRoot)}px` }"
      @pointerdown.stop="grabRoot"
      @pointermove="moveRoot"
      @pointerup="dropRoot"
      @keydown="rootKey"
    >
      <i class="absolute inset-x-0 top-1.5 border-t border-dashed border-[var(--madder)]" />
      <span class="absolute top-[-9px] left-1 rounded-sm bg-[color-mix(in_srgb,var(--sheet)_82%,transparent)] px-1 text-xs font-semibold">{{
        rootName
      }}</span>
    </div>
    <template v-for="(edge, i) in marks?.edges ?? []" :key="edge.id">
      <div
        v-if="inView(edge.at)"
        class="group absolute top-0 z-10 -ml-2 w-4 cursor-ew-resize"
        role="slider"
        tabindex="0"
        :aria-label="edge.word"
        :aria-valuenow="Number(edge.at.toFixed(5))"
        :aria-valuemin="0"
        :aria-valuemax="Number(seconds(shown.frames).toFixed(5))"
        :aria-valuetext="`${edge.at.toFixed(4)} s`"
        :title="`${edge.word}: drag, or arrow keys by 1 ms (Shift: one sample, Alt: zero crossing)`"
        :data-edge="edge.id"
        :style="{ left: `${x(edge.at)}px`, height: `${wave.height}px` }"
        @pointerdown="grab($event, edge.id)"
        @keydown="edgeKey($event, edge.id)"
        @dblclick.stop
      >
        <i class="absolute inset-y-0 left-2 w-0.5 -translate-x-px" :style="{ background: `var(--${marks!.colour})` }" />
        <span
          class="pointer-events-none absolute rounded-sm bg-[color-mix(in_srgb,var(--sheet)_82%,transparent)] px-1 text-xs leading-4 font-semibold whitespace-nowrap"
          :class="labelPlace(i)"
          :style="{ color: `color-mix(in srgb, var(--${marks!.colour}) 50%, var(--ink))` }"
          >{{ edge.word }}</span
        >
      </div>
    </template>
  </div>
</template>
