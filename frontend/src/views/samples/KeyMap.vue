<script setup lang="ts">
/** Which keys and velocities each sample stands for: keys across, velocities up, each with its outline. */
import { computed } from "vue";

import type { Sampled } from "../../api/types";
import { useSamples } from "../../stores/samples";
import { noteName } from "../../theme/words";
import VariationWave from "../deliver/VariationWave.vue";
import { isBlack, keysShown, neighbour, placeOf } from "./keyMap";

const samples = useSamples();
const shown = computed(() => keysShown(samples.notes));
const turns = computed(() => 1 + Math.max(0, ...samples.notes.map(({ turn }) => turn)));
const keys = computed(() => Array.from({ length: shown.value[1] - shown.value[0] }, (_, i) => shown.value[0] + i));
const sampled = computed(() => new Set(samples.notes.map(({ key }) => key)));
const velocities = computed(() => [...new Set(samples.notes.map(({ hardest }) => hardest))]);

function style(one: Sampled): Record<string, string> {
  const at = placeOf(one, shown.value, turns.value);
  const percent = (share: number) => `${(100 * share).toFixed(3)}%`;
  return { left: percent(at.left), top: percent(at.top), width: percent(at.width), height: percent(at.height) };
}

function name(one: Sampled): string {
  const turn = turns.value > 1 ? `, ${one.turn + 1} of ${turns.value}` : "";
  return `${noteName(one.key)}, velocity ${one.velocity}${turn}`;
}

const loudest = computed(() => Math.max(...samples.notes.map(({ peak }) => peak)));
/** Outlines are as high as the notes are loud, against the loudest; the softest is still seen. */
const height = (one: Sampled) => `scaleY(${Math.max(0.12, 10 ** ((one.peak - loudest.value) / 20)).toFixed(3)})`;

const WAYS = { ArrowLeft: "left", ArrowRight: "right", ArrowUp: "up", ArrowDown: "down" } as const;
function key(event: KeyboardEvent): void {
  if (event.ctrlKey || event.altKey || event.metaKey) return;
  const way = WAYS[event.key as keyof typeof WAYS];
  const from = samples.chosen ?? samples.notes[0];
  if (!from || (!way && event.key !== "Enter")) return;
  event.preventDefault();
  const next = way ? neighbour(samples.notes, from, way) : from;
  if (next) samples.hear(next);
}
</script>

<template>
  <div class="flex flex-col" :style="{ '--petal': 'var(--ochre)' }">
    <div class="flex min-h-0 flex-1">
      <div class="relative w-8 shrink-0 text-xs text-soft" aria-hidden="true">
        <span
          v-for="one in velocities"
          :key="one"
          class="absolute right-1.5 -translate-y-1/2 first:translate-y-0"
          :style="{ top: `${100 * (1 - one / 127)}%` }"
          :class="one === 127 ? '!translate-y-0' : ''"
          >{{ one }}</span
        >
      </div>
      <div
        class="relative min-w-0 flex-1 border border-hairline bg-sheet"
        tabindex="0"
        role="group"
        aria-label="Map of samples. Arrows hear the next, Enter listens or stops."
        data-testid="key-map"
        @keydown="key"
      >
        <button
          v-for="one in samples.notes"
          :key="one.number"
          class="absolute overflow-hidden border border-hairline"
          :class="one.number === samples.chosenNumber ? 'z-10 outline-2 -outline-offset-2 outline-focus' : ''"
          :style="style(one)"
          tabindex="-1"
          :title="name(one)"
          :aria-label="`${samples.heard(one) ? 'Stop' : 'Listen to'} ${name(one)}`"
          :data-note="one.number"
          @click="samples.hear(one)"
        >
          <VariationWave :pairs="one.pairs" :strong="samples.heard(one)" :style="{ transform: height(one) }" />
        </button>
      </div>
    </div>
    <div class="flex shrink-0">
      <span class="w-8 shrink-0" />
      <svg class="h-10 min-w-0 flex-1" :viewBox="`0 0 ${keys.length} 10`" preserveAspectRatio="none" aria-hidden="true">
        <g v-for="(one, i) in keys" :key="one">
          <rect
            :x="i"
            y="0"
            width="1"
            height="10"
            :fill="isBlack(one) ? 'var(--key-shade)' : 'var(--sheet)'"
            stroke="var(--hairline)"
            vector-effect="non-scaling-stroke"
          />
          <rect v-if="sampled.has(one)" :x="i + 0.15" y="6" width="0.7" height="4" fill="var(--petal)" />
        </g>
      </svg>
    </div>
    <div class="flex shrink-0 text-xs text-soft" aria-hidden="true">
      <span class="w-8 shrink-0" />
      <div class="relative h-4 min-w-0 flex-1">
        <template v-for="(one, i) in keys" :key="one">
          <span v-if="one % 12 === 0" class="absolute -translate-x-1/2" :style="{ left: `${(100 * (i + 0.5)) / keys.length}%` }">{{
            noteName(one)
          }}</span>
        </template>
      </div>
    </div>
  </div>
</template>
