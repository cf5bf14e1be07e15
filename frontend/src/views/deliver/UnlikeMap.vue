<script setup lang="ts">
/** How unlike the variations are: each a point, near is alike; those kept are filled. */
import { useVariations } from "../../stores/variations";

const W = 320;
const H = 200;
const EDGE = 12;
const variations = useVariations();
const x = (place: [number, number]) => EDGE + place[0] * (W - 2 * EDGE);
const y = (place: [number, number]) => H - EDGE - place[1] * (H - 2 * EDGE);
</script>

<template>
  <svg class="w-full border border-hairline bg-sheet" :viewBox="`0 0 ${W} ${H}`" role="group" aria-label="How unlike the variations are">
    <g v-for="one in variations.drawn" :key="one.number" class="cursor-pointer" @click="variations.hear(one)">
      <title>{{ one.number }}: {{ one.words }}</title>
      <circle :cx="x(one.place)" :cy="y(one.place)" r="8" fill="transparent" />
      <circle
        :cx="x(one.place)"
        :cy="y(one.place)"
        :r="one.kept ? 4.5 : 2.5"
        :fill="one.kept ? 'var(--ochre)' : 'var(--ink-soft)'"
        :opacity="one.kept ? 1 : 0.5"
        :stroke="one.number === variations.chosenNumber ? 'var(--focus)' : one.near !== null ? 'var(--warn)' : 'none'"
        stroke-width="2.5"
      />
      <text
        v-if="one.kept"
        :x="x(one.place) + (one.place[0] > 0.9 ? -7 : 6)"
        :y="y(one.place) + 4"
        :text-anchor="one.place[0] > 0.9 ? 'end' : 'start'"
        class="fill-soft text-[10px]"
      >
        {{ one.number }}
      </text>
    </g>
  </svg>
</template>
