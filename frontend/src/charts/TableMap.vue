<script setup lang="ts">
/** A wavetable as a map: frames from left to right, one period upward, level as ink. */
import { useElementSize } from "@vueuse/core";
import { computed, onMounted, ref, watch } from "vue";

import { followPointer } from "../composables/pointer";
import { useLive } from "../stores/live";
import { useLight } from "../theme/light";
import { token } from "./peaks";

const props = defineProps<{
  ink: Int8Array;
  frames: number;
  columns: number;
  place: number;
  layer?: number;
  petal?: string;
  label: string;
  idle?: boolean;
}>();
const emit = defineEmits<{ scrub: [place: number]; rest: [] }>();
const live = useLive();
const { light } = useLight();
const box = ref<HTMLElement>();
const canvas = ref<HTMLCanvasElement>();
const { width, height } = useElementSize(box);
const heads = computed(() => live.look.layers[props.layer ?? 0]?.heads ?? []);

function rgb(name: string): [number, number, number] {
  const probe = document.createElement("canvas").getContext("2d")!;
  probe.fillStyle = token(name);
  const value = Number.parseInt(probe.fillStyle.slice(1), 16);
  return [value >> 16, (value >> 8) & 255, value & 255];
}

/** Above the middle in ink, below it in the petal: both sides of the wave can be told. */
function draw(): void {
  const context = canvas.value?.getContext("2d");
  if (!context || !canvas.value) return;
  const { ink, frames, columns } = props;
  canvas.value.width = frames;
  canvas.value.height = columns;
  const image = context.createImageData(frames, columns);
  const [up, down] = [rgb("ink"), rgb(props.petal ?? "lichen")];
  for (let frame = 0; frame < frames; frame++) {
    for (let y = 0; y < columns; y++) {
      const value = ink[frame * columns + (columns - 1 - y)]! / 127;
      const colour = value < 0 ? down : up;
      const at = 4 * (y * frames + frame);
      image.data[at] = colour[0];
      image.data[at + 1] = colour[1];
      image.data[at + 2] = colour[2];
      // quiet parts are still to be seen
      image.data[at + 3] = 255 * Math.abs(value) ** 0.7;
    }
  }
  context.putImageData(image, 0, 0);
}

function move(event: PointerEvent): void {
  if (!box.value) return;
  const { left, width: wide } = box.value.getBoundingClientRect();
  emit("scrub", (event.clientX - left) / wide);
}

function down(event: PointerEvent): void {
  if (event.button !== 0 || props.idle) return;
  move(event);
  followPointer(event, move, () => emit("rest"));
}

function key(event: KeyboardEvent): void {
  const step = 1 / Math.max(1, props.frames - 1);
  const by = { ArrowLeft: -step, ArrowRight: step, PageDown: -0.1, PageUp: 0.1 }[event.key];
  if (by !== undefined) emit("scrub", props.place + by);
  else if (event.key === "Home") emit("scrub", 0);
  else if (event.key === "End") emit("scrub", 1);
  else return;
  emit("rest");
  event.preventDefault();
}

onMounted(draw);
watch([() => props.ink, light], draw, { flush: "post" });
const shown = computed(() => Math.round(props.place * Math.max(0, props.frames - 1)) + 1);
</script>

<template>
  <div
    ref="box"
    class="relative h-full w-full touch-none overflow-hidden"
    :class="idle ? '' : 'cursor-col-resize'"
    :role="idle ? 'img' : 'slider'"
    :tabindex="idle ? undefined : 0"
    :aria-label="label"
    :aria-valuemin="1"
    :aria-valuemax="frames"
    :aria-valuenow="shown"
    :aria-valuetext="`frame ${shown} of ${frames}`"
    data-testid="table-map"
    @pointerdown="down"
    @keydown="key"
  >
    <canvas ref="canvas" class="absolute inset-0 h-full w-full [image-rendering:auto]" aria-hidden="true" />
    <i
      v-for="([at], i) in heads"
      :key="i"
      class="pointer-events-none absolute inset-y-0 w-0.5 bg-[var(--madder)] shadow-[0_0_0_1px_var(--paper)]"
      :style="{ left: `${100 * at}%` }"
      data-testid="voice"
    />
    <template v-if="!idle">
      <i
        class="pointer-events-none absolute top-0 size-0 -translate-x-1/2 border-x-[6px] border-t-[8px] border-x-transparent border-t-ink"
        :style="{ left: `${100 * place}%` }"
      />
      <i class="pointer-events-none absolute inset-y-0 w-px bg-ink" :style="{ left: `${100 * place}%` }" />
    </template>
    <span v-if="width > 200 && height > 120" class="pointer-events-none absolute bottom-1 left-1 bg-sheet px-1 text-xs text-soft"
      >one period upward, frames to the right</span
    >
  </div>
</template>
