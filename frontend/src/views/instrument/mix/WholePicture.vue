<script setup lang="ts">
/** The running spectrum of the whole: low at the bottom, now at the right. */
import { onBeforeUnmount, ref, watch } from "vue";

import { useDrawing } from "../../../composables/drawing";
import { useLive } from "../../../stores/live";

const FLOOR_DB = -84;
const TOP_DB = -18;
const COLUMNS = 220;
/** Columns that come before it is drawn anew. */
const EVERY = 3;

const live = useLive();
const canvas = ref<HTMLCanvasElement>();
const columns: number[][] = [];
const beat = ref(0);
let heard = 0;
let small: OffscreenCanvas | null = null;

const { width, height } = useDrawing(canvas, paint, [beat]);

/** A pixel a band and column, painted small and drawn large: cheap enough beside the sound. */
function paint(pen: CanvasRenderingContext2D): void {
  const bands = columns[0]?.length;
  if (!bands) return;
  small ??= new OffscreenCanvas(COLUMNS, bands);
  const context = small.getContext("2d")!;
  const image = context.createImageData(COLUMNS, bands);
  const ink = getComputedStyle(document.documentElement).getPropertyValue("--ink").trim();
  const [r, g, b] = [1, 3, 5].map((at) => parseInt(ink.slice(at, at + 2), 16));
  const first = COLUMNS - columns.length;
  columns.forEach((column, i) =>
    column.forEach((db, band) => {
      const share = Math.min(1, Math.max(0, (db - FLOOR_DB) / (TOP_DB - FLOOR_DB)));
      const at = 4 * ((bands - 1 - band) * COLUMNS + first + i);
      image.data.set([r!, g!, b!, 255 * share ** 1.6], at);
    }),
  );
  context.putImageData(image, 0, 0);
  pen.imageSmoothingEnabled = false;
  pen.drawImage(small, 0, 0, width.value, height.value);
}

const stop = watch(
  () => live.look.mix,
  (mix) => {
    if (!mix) return;
    columns.push(mix.spectrum);
    if (columns.length > COLUMNS) columns.shift();
    if (++heard % EVERY === 0) beat.value++;
  },
);
onBeforeUnmount(stop);
</script>

<template>
  <div class="relative h-full w-full border border-hairline bg-sheet">
    <canvas ref="canvas" class="h-full w-full" role="img" aria-label="Running spectrum of the whole, from 30 Hz to 16 kHz" />
    <span class="pointer-events-none absolute top-1 right-2 text-xs text-soft">now</span>
    <span class="pointer-events-none absolute bottom-1 left-2 text-xs text-soft">30 Hz</span>
    <span class="pointer-events-none absolute top-1 left-2 text-xs text-soft">16 kHz</span>
    <p v-if="live.state !== 'on'" class="absolute inset-x-6 top-1/3 text-soft">Play a note: what is heard is drawn here.</p>
  </div>
</template>
