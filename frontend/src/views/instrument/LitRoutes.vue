<script setup lang="ts">
/** Routes into a layer that the pointer lights up elsewhere: drawn along its time, and said. */
import { computed } from "vue";

import type { Layer } from "../../api/types";
import { useMovement } from "../../stores/movement";

const props = defineProps<{ layer: Layer; reads: boolean; chosen: boolean }>();
const movement = useMovement();

const ALONG_TIME = ["position", "start", "loop_start"];
const lit = computed(() => movement.litInto(props.layer.id));
const paths = computed(() =>
  lit.value
    .filter(({ parameter }) => props.reads && ALONG_TIME.includes(parameter))
    .map(({ id }) => movement.said(id))
    .filter((one) => one !== undefined),
);
</script>

<template>
  <i
    v-for="path in paths"
    :key="path.id"
    class="pointer-events-none absolute top-1/2 h-2 -translate-y-1/2 border-x-2 border-ink"
    data-testid="path"
    :style="{
      left: `${path.low}%`,
      width: `max(2px, ${path.high - path.low}%)`,
      background: 'color-mix(in srgb, var(--petal) 55%, transparent)',
    }"
  />
  <ul v-if="lit.length" class="pointer-events-none absolute right-1 z-10 bg-sheet px-1.5 text-xs" :class="chosen ? 'bottom-1' : 'top-0'">
    <li v-for="route in lit.slice(0, chosen ? 6 : 3)" :key="route.id">
      <span class="font-serif italic">{{ movement.said(route.id)?.source }}</span> <span class="text-soft">moves</span>
      {{ movement.said(route.id)?.parameter }} {{ movement.said(route.id)?.amount }}
    </li>
  </ul>
</template>
