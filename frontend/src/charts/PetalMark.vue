<script setup lang="ts">
import { PETAL_MARKS } from "./petals";

defineProps<{ petal: string; size?: number }>();
</script>

<template>
  <svg :width="size ?? 14" :height="size ?? 14" viewBox="0 0 16 16" aria-hidden="true">
    <path :d="PETAL_MARKS[petal]" :fill="`var(--${petal})`" />
  </svg>
</template>
