<script setup lang="ts">
/** A swap sheet: the instrument as it is, then each recording, the nearest to its character first. */
import { useRouter } from "vue-router";

import type { SwapRow } from "../../api/types";
import HeardList from "../../controls/HeardList.vue";
import { useSwap } from "../../stores/swap";
import VariationWave from "../deliver/VariationWave.vue";

const swap = useSwap();
const router = useRouter();
const percent = (share: number) => `${Math.round(100 * share)} %`;
const FIGURES = [
  { id: "timbre", word: "timbre" },
  { id: "envelope", word: "level" },
  { id: "movement", word: "movement" },
] as const;
const LETTERS = { k: (one: SwapRow) => one.number > 0 && !swap.kept[one.number] && void swap.keep(one) };
const silent = (one: SwapRow) => one.loudness === null;
</script>

<template>
  <div class="flex flex-col">
    <div class="flex gap-3 border-b border-hairline px-2 pb-1 text-xs text-soft" aria-hidden="true">
      <span class="w-44">recording</span><span class="min-w-0 flex-1">listen</span
      ><span class="w-44 xl:w-56">how far the character holds</span><span class="w-14" />
    </div>
    <HeardList
      v-slot="{ one }"
      class="min-h-0 flex-1"
      :rows="swap.rows"
      :key-of="(one) => one.number"
      :row-px="60"
      :chosen="swap.chosenNumber"
      :letters="LETTERS"
      label="Swap sheet: K keeps as an instrument"
      testid="swap-sheet"
      @hear="swap.hear"
    >
      <span class="w-44 min-w-0 leading-tight">
        <span class="line-clamp-2 font-serif text-base" :title="one.name">{{ one.name }}</span>
        <span v-if="one.number === 0" class="text-xs text-soft">as it is</span>
        <span v-else-if="silent(one)" class="text-xs text-warn">silent at this key</span>
      </span>
      <button
        class="h-11 min-w-0 flex-1"
        tabindex="-1"
        :aria-label="`${swap.heard(one) ? 'Stop' : 'Listen to'} ${one.name}`"
        @click="swap.hear(one)"
      >
        <VariationWave :pairs="one.pairs" :strong="swap.heard(one)" :pale="silent(one)" />
      </button>
      <span class="w-44 xl:w-56">
        <template v-if="one.number > 0">
          <span class="flex items-center gap-2">
            <span class="h-1.5 flex-1 bg-hairline"
              ><span class="block h-full bg-[var(--ochre)]" :style="{ width: `${100 * one.together}%` }"
            /></span>
            <span class="w-10 text-right font-medium">{{ percent(one.together) }}</span>
          </span>
          <span class="text-xs text-soft">{{ FIGURES.map(({ id, word }) => `${word} ${Math.round(100 * one[id])}`).join(", ") }}</span>
        </template>
      </span>
      <button
        v-if="swap.kept[one.number]"
        class="quiet w-14 !px-1 !py-0"
        tabindex="-1"
        :aria-label="`Open ${one.name}`"
        @click="router.push(`/instrument/${swap.kept[one.number]}`)"
      >
        Open
      </button>
      <button
        v-else-if="one.number > 0"
        class="quiet w-14 !px-1 !py-0"
        tabindex="-1"
        title="As an instrument of its own (K)"
        :aria-label="`Keep ${one.name}`"
        @click="swap.keep(one)"
      >
        Keep
      </button>
      <span v-else class="w-14" />
    </HeardList>
  </div>
</template>
