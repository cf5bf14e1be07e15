<script setup lang="ts">
/** The spectrogram of one note, drawn from a byte a band and column. */
import { computed, ref } from "vue";

import { useDrawing } from "../composables/drawing";
import { token } from "./peaks";

export interface Sketch {
  rows: number;
  columns: number;
  bytes: Uint8Array;
}

const props = defineProps<{ sketch: Sketch; colour: string }>();
const canvas = ref<HTMLCanvasElement>();
const sketch = computed(() => props.sketch);

function paint(pen: CanvasRenderingContext2D): void {
  const { rows, columns, bytes } = sketch.value;
  const [w, h] = [width.value / columns, height.value / rows];
  pen.fillStyle = token(props.colour);
  for (let row = 0; row < rows; row++)
    for (let column = 0; column < columns; column++) {
      const level = bytes[row * columns + column]! / 255;
      if (level < 0.02) continue;
      pen.globalAlpha = level ** 1.6;
      pen.fillRect(column * w, row * h, w + 0.5, h + 0.5);
    }
}

const { width, height } = useDrawing(canvas, paint, [sketch, () => props.colour]);
</script>

<template>
  <canvas ref="canvas" class="block h-full w-full" aria-hidden="true" />
</template>
