<script setup lang="ts">
/** Two periods of a plain wave, as its formula has them; noise as a band. */
import { computed } from "vue";

import { type Layer, number, word } from "../../api/types";
import { useInstrument } from "../../stores/instrument";

const props = defineProps<{ layer: Layer; index?: number; chosen?: boolean }>();
const instrument = useInstrument();
const W = 400;
const H = 100;

const SHAPES: Record<string, (phase: number, width: number) => number> = {
  sine: (phase) => Math.sin(2 * Math.PI * phase),
  triangle: (phase) => 1 - 4 * Math.abs(((phase + 0.25) % 1) - 0.5),
  saw: (phase) => 1 - 2 * phase,
  pulse: (phase, width) => (phase < width ? 1 : -1),
};

/** What has no plain wave is noise: drawn as a band. */
const noise = computed(() => !SHAPES[word(props.layer.settings, "shape")]);
const line = computed(() => {
  const shape = SHAPES[word(props.layer.settings, "shape")];
  if (!shape) return "";
  const width = number(props.layer.settings, "width") / 100;
  return Array.from({ length: 401 }, (_, i) => `${(i / 400) * W},${H / 2 - 42 * shape((i / 200) % 1, width)}`).join(" ");
});
const STRUCK_MS = 250;
/** A wave that dies away at once is drawn so, its pitch falling where its second envelope moves it. */
const struck = computed(() => {
  const s = props.layer.settings;
  return number(s, "sustain") === 0 && number(s, "attack") + number(s, "hold") + number(s, "decay") < STRUCK_MS;
});
const falls = computed(
  () =>
    instrument.document?.routes.find(
      ({ source, target, parameter }) => source === "tone_envelope" && target === props.layer.id && parameter === "pitch",
    )?.depth ?? 0,
);
const strike = computed(() => {
  const shape = SHAPES[word(props.layer.settings, "shape")] ?? SHAPES.sine!;
  const width = number(props.layer.settings, "width") / 100;
  let phase = 0;
  return Array.from({ length: 601 }, (_, i) => {
    const at = i / 600;
    phase += (8 / 600) * 2 ** ((falls.value / 12) * Math.exp(-9 * at));
    return `${at * W},${H / 2 - 42 * Math.exp(-5 * at) * shape(phase % 1, width)}`;
  }).join(" ");
});
/** Level in each octave from 40 Hz up: flat for pink, rising for white, falling for brown. */
const slope = computed(() => ({ white: -26, pink: 0, brown: 26 })[word(props.layer.settings, "colour")] ?? 0);
const band = computed(() => `0,${H / 2 - slope.value} ${W},${H / 2 + slope.value} ${W},${H} 0,${H}`);
</script>

<template>
  <svg class="absolute inset-0 h-full w-full" :viewBox="`0 0 ${W} ${H}`" preserveAspectRatio="none" aria-hidden="true">
    <polygon v-if="noise" :points="band" class="fill-[color-mix(in_srgb,var(--petal)_32%,transparent)]" />
    <polyline
      v-else
      :points="struck ? strike : line"
      fill="none"
      stroke="var(--petal)"
      stroke-width="2"
      vector-effect="non-scaling-stroke"
    />
  </svg>
  <template v-if="noise">
    <span class="absolute bottom-0.5 left-1 text-xs text-soft">40 Hz</span>
    <span class="absolute right-1 bottom-0.5 text-xs text-soft">20 kHz</span>
  </template>
</template>
