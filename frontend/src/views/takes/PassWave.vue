<script setup lang="ts">
/** The sound of a take, whole and small. */
import { ref, shallowRef, watch } from "vue";

import { drawWave, token } from "../../charts/peaks";
import { useDrawing } from "../../composables/drawing";
import { fetchTakePeaks } from "./takePeaks";

const props = defineProps<{ take: number }>();
const canvas = ref<HTMLCanvasElement>();
const peaks = shallowRef<Int16Array | null>(null);
const { width, height } = useDrawing(
  canvas,
  (pen) => peaks.value && drawWave(pen, peaks.value, width.value, height.value, token("wave-chosen")),
  [peaks],
);
watch(
  [() => props.take, width],
  async () => {
    if (width.value < 2) return;
    peaks.value = await fetchTakePeaks(props.take, "", 0, 1, Math.round(width.value)).catch(() => null);
  },
  { immediate: true },
);
</script>

<template>
  <canvas ref="canvas" class="block h-full w-full" aria-hidden="true" />
</template>
