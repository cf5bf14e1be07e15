<script setup lang="ts">
/** What an equaliser does to each frequency. */
import { refDebounced } from "@vueuse/core";
import { computed, ref, watch } from "vue";

import { api, wanted } from "../../api/client";
import type { Step } from "../../api/types";

const WIDTH = 320;
const HEIGHT = 84;
const MOST_DB = 24;

const props = defineProps<{ step: Step }>();
const gains = ref<number[]>([]);
const span = ref<[low: number, high: number]>([30, 20_000]);
const settled = refDebounced(
  computed(() => JSON.stringify(props.step)),
  60,
);
let asked = 0;

watch(
  settled,
  async () => {
    const number = ++asked;
    const body = { step: { ...props.step } as Record<string, number | string | boolean>, points: 97 };
    const found = await wanted(api.POST("/api/bench/response", { body })).catch(() => null);
    if (number !== asked || !found) return;
    gains.value = found.gain_db;
    span.value = [found.low_hz, found.high_hz];
  },
  { immediate: true },
);

const y = (gain: number) => HEIGHT * (0.5 - Math.max(-1, Math.min(1, gain / MOST_DB)) / 2);
const curve = computed(() =>
  gains.value.map((gain, i) => `${((WIDTH * i) / (gains.value.length - 1)).toFixed(1)},${y(gain).toFixed(1)}`).join(" "),
);
const marks = computed(() =>
  [100, 1_000, 10_000].map((hz) => ({
    word: hz < 1_000 ? `${hz} Hz` : `${hz / 1_000} kHz`,
    x: (WIDTH * Math.log(hz / span.value[0])) / Math.log(span.value[1] / span.value[0]),
  })),
);
</script>

<template>
  <svg
    :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
    class="mb-1 block w-full border border-hairline bg-sheet"
    role="img"
    aria-label="Gain by frequency"
  >
    <line x1="0" :x2="WIDTH" :y1="y(0)" :y2="y(0)" stroke="var(--hairline)" />
    <template v-for="mark in marks" :key="mark.word">
      <line :x1="mark.x" :x2="mark.x" y1="0" :y2="HEIGHT" stroke="var(--hairline)" />
      <text :x="mark.x - 3" :y="HEIGHT - 4" text-anchor="end" class="fill-soft text-[10px]">{{ mark.word }}</text>
    </template>
    <text x="3" y="11" class="fill-soft text-[10px]">+24 dB</text>
    <text x="3" :y="HEIGHT - 16" class="fill-soft text-[10px]">&minus;24 dB</text>
    <polyline :points="curve" fill="none" stroke="var(--ink)" stroke-width="1.6" />
  </svg>
</template>
