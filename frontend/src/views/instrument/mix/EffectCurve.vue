<script setup lang="ts">
/** What an effect does, as measured: small on its station, large in its panel. */
import { computed } from "vue";

import type { EffectKind, EffectPicture, Watched } from "../../../api/types";
import { asText, axesOf, outlined, placed, shareOf } from "./curve";

const props = defineProps<{
  kind: EffectKind;
  picture: EffectPicture | null;
  width: number;
  height: number;
  colour: string;
  /** With axes and their words. */
  large?: boolean;
  /** Where the sound is now, for levels: dB in. */
  now?: number | null;
  /** What passes it at this moment. */
  passing?: Watched | null;
}>();

const points = computed(() => props.picture?.points ?? []);
const axes = computed(() => axesOf(props.kind.picture, points.value));
const line = computed(() => placed(points.value, axes.value, props.width, props.height));
const spectrum = computed(() => {
  const { passing } = props;
  return passing && axes.value.log ? asText(outlined(passing.spectrum, passing.hz, axes.value, props.width, props.height)) : "";
});
const area = computed(() => asText([[0, props.height], ...line.value, [props.width, props.height]]));
const MARKS: Record<string, number[]> = {
  response: [100, 1_000, 10_000],
  partials: [100, 1_000, 10_000],
  levels: [-60, -40, -20],
  shape: [0],
};
const marks = computed(() =>
  (MARKS[props.kind.picture] ?? decades(axes.value.x[1])).map((value) => ({
    x: props.width * shareOf(value, axes.value.x, axes.value.log),
    word: value >= 1_000 ? `${value / 1_000}k` : String(value),
  })),
);
/** A few round seconds within a length of time. */
function decades(most: number): number[] {
  const step = [0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5].find((one) => most / one < 5) ?? 5;
  return Array.from({ length: Math.floor((most * 0.97) / step) }, (_, i) => Number(((i + 1) * step).toFixed(2)));
}
const zero = computed(() => props.height * (1 - shareOf(0, axes.value.y)));
const dot = computed(() => {
  if (props.now === undefined || props.now === null || !line.value.length) return null;
  const x = props.width * shareOf(props.now, axes.value.x);
  const nearest = line.value.reduce((one, other) => (Math.abs(other[0] - x) < Math.abs(one[0] - x) ? other : one));
  return [x, nearest[1]] as const;
});
</script>

<template>
  <svg :viewBox="`0 0 ${width} ${height}`" class="block w-full overflow-visible" role="img" :aria-label="`What ${kind.name} does`">
    <polygon v-if="spectrum" data-testid="passing" :points="spectrum" fill="var(--ink-soft)" fill-opacity="0.22" />
    <template v-if="large">
      <template v-for="mark in marks" :key="mark.word">
        <line :x1="mark.x" :x2="mark.x" y1="0" :y2="height" stroke="var(--hairline)" />
        <text :x="mark.x + 3" :y="height - 4" class="fill-soft text-[10px]">{{ mark.word }}</text>
      </template>
      <line
        v-if="kind.picture === 'response' || kind.picture === 'shape'"
        x1="0"
        :x2="width"
        :y1="zero"
        :y2="zero"
        stroke="var(--hairline)"
      />
      <line
        v-if="kind.picture === 'levels' || kind.picture === 'shape'"
        x1="0"
        :x2="width"
        :y1="height"
        y2="0"
        stroke="var(--ink-soft)"
        stroke-width="0.7"
      />
      <text x="4" y="12" class="fill-soft stroke-sheet text-[10px] [paint-order:stroke] [stroke-width:3px]">{{ axes.words[1] }}</text>
      <text :x="width - 4" y="12" text-anchor="end" class="fill-soft text-[10px]">{{ axes.words[0] }}</text>
    </template>
    <template v-if="kind.picture === 'partials'">
      <line v-for="([x, y], i) in line" :key="i" :x1="x" :x2="x" :y1="height" :y2="y" :stroke="colour" :stroke-width="large ? 2 : 1.2" />
    </template>
    <polygon
      v-else-if="kind.picture === 'decay'"
      :points="area"
      :fill="colour"
      fill-opacity="0.28"
      :stroke="colour"
      :stroke-width="large ? 1.4 : 0.9"
    />
    <polyline v-else :points="asText(line)" fill="none" :stroke="colour" :stroke-width="large ? 2 : 1.4" />
    <circle v-if="dot" :cx="dot[0]" :cy="dot[1]" r="5" fill="var(--ink)" />
  </svg>
</template>
