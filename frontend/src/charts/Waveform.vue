<script setup lang="ts">
/** A recording's whole waveform, as wide and high as its box. */
import { useElementSize } from "@vueuse/core";
import { onMounted, ref, watch } from "vue";

import { useLight } from "../theme/light";
import { drawWave, fetchPeaks, token } from "./peaks";

const props = defineProps<{ digest: string; colour: string; start?: number; end?: number; alpha?: number }>();
const canvas = ref<HTMLCanvasElement>();
const failed = ref(false);
const { width, height } = useElementSize(canvas);
const { light } = useLight();

async function draw(): Promise<void> {
  const element = canvas.value;
  if (!element || width.value < 2) return;
  const ratio = devicePixelRatio;
  try {
    const columns = Math.round(width.value);
    const peaks = await fetchPeaks(props.digest, columns, props.start ?? 0, props.end ?? 1);
    element.width = Math.round(width.value * ratio);
    element.height = Math.round(height.value * ratio);
    const context = element.getContext("2d");
    if (!context) return;
    context.globalAlpha = props.alpha ?? 1;
    drawWave(context, peaks, element.width, element.height, token(props.colour));
    failed.value = false;
  } catch {
    failed.value = true;
  }
}

onMounted(draw);
watch([() => ({ ...props }), width, height, light], draw, { deep: true, flush: "post" });
</script>

<template>
  <canvas ref="canvas" class="block h-full w-full" aria-hidden="true" />
  <span v-if="failed" class="absolute inset-0 grid place-items-center text-soft">no picture</span>
</template>
