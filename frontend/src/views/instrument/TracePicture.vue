<script setup lang="ts">
/** A short live trace of what arrives: the last few seconds, now at the right. */
import { computed } from "vue";

import { useMovement } from "../../stores/movement";

const props = defineProps<{ id: string; low: number; high: number; still?: boolean }>();
const movement = useMovement();
const W = 200;
const H = 40;
const line = computed(() => {
  void movement.beat;
  const values = movement.trace(props.id);
  const low = Math.min(props.low, props.high, 0);
  const span = Math.max(props.low, props.high, 0) - low || 1;
  return values.map((value, i) => [W - 8 - (values.length - 1 - i) * 1.6, H - 5 - ((value - low) / span) * (H - 10)] as const);
});
const points = computed(() => line.value.map(([x, y]) => `${x.toFixed(1)},${y.toFixed(1)}`).join(" "));
const last = computed(() => line.value.at(-1));
const zero = computed(() => {
  const low = Math.min(props.low, props.high, 0);
  return H - 5 - (-low / (Math.max(props.low, props.high, 0) - low || 1)) * (H - 10);
});
</script>

<template>
  <svg :viewBox="`0 0 ${W} ${H}`" class="h-9 w-full" preserveAspectRatio="none" aria-hidden="true">
    <line x1="0" :x2="W - 8" :y1="zero" :y2="zero" class="stroke-hairline" stroke-dasharray="2 3" />
    <polyline
      v-if="points"
      :points="points"
      fill="none"
      :stroke="still ? 'var(--hairline)' : 'var(--petal, var(--ink-soft))'"
      stroke-width="1.5"
      vector-effect="non-scaling-stroke"
    />
    <circle v-if="last" :cx="last[0]" :cy="last[1]" r="3" class="fill-ink" />
  </svg>
</template>
