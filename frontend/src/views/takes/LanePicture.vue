<script setup lang="ts">
/** A lane, or the keys, small. */
import { ref } from "vue";

import type { Lane, PlayedNote } from "../../api/types";
import { token } from "../../charts/peaks";
import { keyRange, stepsOf } from "../../charts/takeLine";
import { useDrawing } from "../../composables/drawing";

const props = defineProps<{ lane?: Lane; notes?: readonly PlayedNote[]; from: number; to: number }>();
const canvas = ref<HTMLCanvasElement>();

function paint(pen: CanvasRenderingContext2D): void {
  const x = (at: number) => ((at - props.from) / (props.to - props.from || 1)) * width.value;
  const y = (share: number) => (1 - share) * (height.value - 4) + 2;
  if (props.notes) {
    const [low, high] = keyRange(props.notes);
    pen.fillStyle = token("moss");
    for (const { start, end, key } of props.notes) {
      if (end < props.from || start > props.to) continue;
      pen.fillRect(Math.max(0, x(start)), y((key - low) / (high - low)) - 1, Math.max(2, x(end) - Math.max(0, x(start))), 2);
    }
  }
  const lane = props.lane;
  if (!lane) return;
  pen.strokeStyle = token("iris");
  pen.lineWidth = 1.25;
  pen.beginPath();
  stepsOf(lane, props.from, props.to).forEach(([at, value], i) => {
    const share = (value - lane.low) / (lane.high - lane.low || 1);
    if (i === 0) pen.moveTo(x(at), y(share));
    else pen.lineTo(x(at), y(share));
  });
  pen.stroke();
}
const { width, height } = useDrawing(canvas, paint, [() => props.lane, () => props.notes, () => [props.from, props.to]]);
</script>

<template>
  <canvas ref="canvas" class="h-5 min-w-0 flex-1" aria-hidden="true" />
</template>
