<script setup lang="ts">
/** The spectrogram of a stretch of a sound, as wide and high as its box. */
import { computed, ref, shallowRef, watch } from "vue";

import { useDrawing } from "../composables/drawing";
import { useLight } from "../theme/light";
import { drawSpectrum, type Shown } from "../views/bench/picture";
import { token } from "./peaks";
import { Painter, palette } from "./spectrumColours";
import { Tiles } from "./tiles";

const FAINTEST_DB = -95;
const DARKEST_DB = -20;

/** `from` and `to` are shares of the whole sound. */
const props = defineProps<{ digest: string; frames: number; rate: number; from: number; to: number }>();
const canvas = ref<HTMLCanvasElement>();
const { light } = useLight();
const painter = new Painter();
const tiles = new Tiles(() => ask());
const colours = shallowRef<Uint32Array>(new Uint32Array(256));
const shown = computed<Shown>(() => ({
  key: props.digest,
  frames: props.frames,
  rate: props.rate,
  from: props.from * props.frames,
  to: Math.max(props.from * props.frames + 2, props.to * props.frames),
}));

function paint(pen: CanvasRenderingContext2D): void {
  drawSpectrum(pen, tiles, painter, colours.value, "log", shown.value, { top: 0, height: height.value, width: width.value });
}

watch(light, () => (colours.value = palette(FAINTEST_DB, DARKEST_DB, token("sheet"), token("spectrum-middle"), token("ink"))), {
  immediate: true,
  flush: "post",
});
const { width, height, ask } = useDrawing(canvas, paint, [shown, colours]);
</script>

<template>
  <canvas ref="canvas" class="block h-full w-full" aria-hidden="true" />
</template>
