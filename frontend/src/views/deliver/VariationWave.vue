<script setup lang="ts">
/** The outline of one variation, as high as it is: each at its own peak. */
import { computed } from "vue";

const props = defineProps<{ pairs: number[]; strong?: boolean; pale?: boolean }>();
const outline = computed(() => {
  const count = props.pairs.length / 2;
  const x = (i: number) => (100 * i) / Math.max(1, count - 1);
  const top = Array.from({ length: count }, (_, i) => `${x(i).toFixed(2)},${(20 - 19 * props.pairs[2 * i + 1]!).toFixed(2)}`);
  const bottom = Array.from({ length: count }, (_, i) => `${x(i).toFixed(2)},${(20 - 19 * props.pairs[2 * i]!).toFixed(2)}`).reverse();
  return [...top, ...bottom].join(" ");
});
</script>

<template>
  <svg class="block h-full w-full" viewBox="0 0 100 40" preserveAspectRatio="none" aria-hidden="true">
    <polygon :points="outline" fill="var(--ochre)" :opacity="strong ? 1 : pale ? 0.3 : 0.6" />
  </svg>
</template>
