<script setup lang="ts">
/** A recording's whole waveform, as wide and high as its box. */
import { computed, onBeforeUnmount, ref, shallowRef, watch } from "vue";

import { useDrawing } from "../composables/drawing";
import { drawWave, fetchPeaks, token } from "./peaks";

const SETTLE_MS = 40;

const props = defineProps<{ digest: string; colour: string; start?: number; end?: number; alpha?: number }>();
const canvas = ref<HTMLCanvasElement>();
const failed = ref(false);
const peaks = shallowRef<Int16Array | null>(null);

function paint(pen: CanvasRenderingContext2D): void {
  if (!peaks.value) return;
  pen.globalAlpha = props.alpha ?? 1;
  drawWave(pen, peaks.value, width.value, height.value, token(props.colour));
}

const { width, height } = useDrawing(canvas, paint, [peaks, () => props.colour, () => props.alpha]);
const columns = computed(() => Math.round(width.value));
let asked = 0;

watch(
  () => [props.digest, columns.value, props.start, props.end] as const,
  async ([digest, count, start, end]) => {
    const number = ++asked;
    if (count < 2) return;
    // lines that only scroll by do not ask
    await new Promise((settled) => setTimeout(settled, SETTLE_MS));
    if (number !== asked) return;
    try {
      const found = await fetchPeaks(digest, count, start ?? 0, end ?? 1);
      if (number === asked) [peaks.value, failed.value] = [found, false];
    } catch {
      if (number === asked) failed.value = true;
    }
  },
  { immediate: true },
);
onBeforeUnmount(() => asked++);
</script>

<template>
  <canvas ref="canvas" class="block h-full w-full" aria-hidden="true" />
  <span v-if="failed" class="absolute inset-0 grid place-items-center text-soft">no picture</span>
</template>
