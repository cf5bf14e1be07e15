<script setup lang="ts">
/** One layer on the picture: its waveform, where grains come from, and the grains as they sound. */
import { useElementSize, useEventListener } from "@vueuse/core";
import { computed, onBeforeUnmount, onMounted, ref, watch } from "vue";

import type { Recording } from "../../api/client";
import { token } from "../../charts/peaks";
import PetalMark from "../../charts/PetalMark.vue";
import Waveform from "../../charts/Waveform.vue";
import { type Layer, useInstrument } from "../../stores/instrument";
import { useLive } from "../../stores/live";
import { useLight } from "../../theme/light";
import { decibels } from "../../theme/words";
import RootEntry from "./RootEntry.vue";

const props = defineProps<{ layer: Layer; index: number; chosen: boolean; recording?: Recording }>();
defineEmits<{ choose: [] }>();
const instrument = useInstrument();
const live = useLive();
const { light } = useLight();

const picture = ref<HTMLElement>();
const canvas = ref<HTMLCanvasElement>();
const { width, height } = useElementSize(picture);

const total = computed(() => props.recording?.measured.duration_s ?? null);
const stretch = computed(() => {
  const start = props.layer.sound.start;
  const seconds = props.layer.sound.length ?? (total.value === null ? null : Math.min(180, total.value - start));
  return { start, seconds };
});
const shares = computed(() => {
  const { start, seconds } = stretch.value;
  if (!total.value || seconds === null) return { from: 0, to: 1 };
  return { from: start / total.value, to: Math.min(1, (start + seconds) / total.value) };
});
const position = computed(() => props.layer.settings.position ?? 0);
const scatter = computed(() => props.layer.settings.position_scatter ?? 0);
const band = computed(() => ({
  left: Math.max(0, position.value - scatter.value),
  right: Math.min(100, position.value + scatter.value),
}));
const ticks = computed(() => {
  const seconds = stretch.value.seconds;
  if (!seconds) return [];
  const step = [0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 30].find((s) => seconds / s <= 8) ?? 60;
  return Array.from({ length: Math.floor(seconds / step) + 1 }, (_, i) => ({
    share: (i * step) / seconds,
    word: `${Number((stretch.value.start + i * step).toFixed(2))} s`,
  })).filter(({ share }) => share < 0.97);
});

let dragging = false;
let before = 0;

function place(event: PointerEvent): number {
  const box = picture.value!.getBoundingClientRect();
  return Math.round(Math.min(1, Math.max(0, (event.clientX - box.left) / box.width)) * 1000) / 10;
}

function down(event: PointerEvent): void {
  if (event.button !== 0) return;
  picture.value!.setPointerCapture(event.pointerId);
  dragging = true;
  before = position.value;
  instrument.move(props.index, "position", place(event));
}

function move(event: PointerEvent): void {
  if (dragging) instrument.move(props.index, "position", place(event));
}

function up(): void {
  if (!dragging) return;
  dragging = false;
  if (position.value !== before) instrument.rest(props.index, { position: position.value }, "position");
}

let frame = 0;
let drawn = live.look;
let clean = false;

/** Draw grains as short strokes in reading direction, high for left and low for right. */
function draw(): void {
  frame = requestAnimationFrame(draw);
  const element = canvas.value;
  if (!element || (drawn === live.look && clean)) return;
  drawn = live.look;
  const ratio = devicePixelRatio;
  const [w, h] = [Math.round(width.value * ratio), Math.round(height.value * ratio)];
  if (element.width !== w || element.height !== h) [element.width, element.height] = [w, h];
  const context = element.getContext("2d");
  if (!context) return;
  context.clearRect(0, 0, w, h);
  const layer = drawn.layers[props.index];
  clean = true;
  if (!layer) return;
  const ink = token("ink");
  context.fillStyle = ink;
  for (const [at, age, pan, level] of layer.grains) {
    context.globalAlpha = Math.max(0.08, Math.sin(Math.PI * age) * Math.min(1, 0.25 + level));
    const y = h * (0.5 + 0.4 * pan);
    context.beginPath();
    context.arc(at * w, y, 3.2 * ratio, 0, 7);
    context.fill();
  }
  context.globalAlpha = 0.85;
  for (const head of layer.heads) context.fillRect(head * w - 0.5 * ratio, 0, ratio, h);
}

onMounted(draw);
onBeforeUnmount(() => cancelAnimationFrame(frame));
watch([width, height, light], () => (clean = false));
useEventListener(window, "resize", () => (clean = false));
</script>

<template>
  <article class="flex min-h-28 flex-1 border-l-4 py-2 pr-2 pl-3" :class="chosen ? 'bg-sheet' : 'border-transparent'" :style="{ borderColor: chosen ? `var(--${layer.petal})` : undefined, '--petal': `var(--${layer.petal})` }" @click="$emit('choose')">
    <div class="flex w-36 shrink-0 flex-col gap-0.5 pr-3">
      <h2 class="flex items-start gap-2 font-serif text-base leading-tight"><PetalMark class="mt-0.5 shrink-0" :petal="layer.petal" />{{ layer.name }}</h2>
      <p class="text-soft">{{ layer.kind }}, {{ decibels(layer.settings.level) }} dB</p>
      <RootEntry class="mt-3" :layer="layer" :index="index" />
      <RouterLink v-if="recording" class="mt-auto text-soft underline decoration-hairline hover:text-ink" :to="{ name: 'field' }" title="Show the recording in Field">from {{ recording.name }}</RouterLink>
      <span v-else class="mt-auto text-warn">This recording is no longer on the shelf; it still plays.</span>
    </div>
    <div class="flex min-w-0 flex-1 flex-col">
      <div ref="picture" class="relative min-h-0 flex-1 cursor-col-resize touch-none overflow-hidden" data-testid="stratum" title="Drag to move the position" @pointerdown="down" @pointermove="move" @pointerup="up" @pointercancel="up">
        <Waveform v-if="layer.sound.recording" :digest="layer.sound.recording" :colour="layer.petal" :alpha="0.45" :start="shares.from" :end="shares.to" />
        <i class="absolute inset-y-0 bg-[color-mix(in_srgb,var(--petal)_18%,transparent)]" :style="{ left: `${band.left}%`, width: `${band.right - band.left}%` }" />
        <canvas ref="canvas" class="absolute inset-0 h-full w-full" role="img" :aria-label="`Grains of ${layer.name} as they sound`" />
        <i class="absolute top-0 size-0 -translate-x-1/2 border-x-[6px] border-t-[8px] border-x-transparent border-t-ink" :style="{ left: `${position}%` }" />
        <i class="absolute inset-y-0 w-px bg-ink" :style="{ left: `${position}%` }" />
        <span class="pointer-events-none absolute top-1 left-1 text-xs text-soft">left</span>
        <span class="pointer-events-none absolute bottom-1 left-1 text-xs text-soft">right</span>
      </div>
      <div class="relative h-5 border-t border-hairline text-xs text-soft">
        <span v-for="tick in ticks" :key="tick.share" class="absolute top-0 border-l border-soft pl-1" :style="{ left: `${100 * tick.share}%` }">{{ tick.word }}</span>
      </div>
    </div>
  </article>
</template>
