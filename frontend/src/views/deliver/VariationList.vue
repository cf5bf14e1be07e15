<script setup lang="ts">
/** Variations as a ledger: each a line, heard by a click, kept or dropped. */
import { computed } from "vue";

import type { VariationShown } from "../../api/types";
import HeardList from "../../controls/HeardList.vue";
import { useVariations } from "../../stores/variations";
import { seconds } from "../../theme/words";
import VariationWave from "./VariationWave.vue";

const props = defineProps<{ all: boolean }>();
const variations = useVariations();
const shown = computed(() => (props.all ? variations.drawn : variations.drawn.filter(({ kept }) => kept)));
const LETTERS = {
  k: (one: VariationShown) => variations.decide(one.number, true),
  d: (one: VariationShown) => variations.decide(one.number, false),
};

function status(one: VariationShown): string {
  if (!one.kept) return one.by_hand ? "dropped" : "not kept";
  if (one.near !== null) return `too near ${one.near}`;
  return one.by_hand ? "kept by hand" : "kept";
}
</script>

<template>
  <div class="flex flex-col">
    <div class="flex gap-3 border-b border-hairline px-2 pb-1 text-xs text-soft" aria-hidden="true">
      <span class="w-8 text-right">no.</span><span class="w-44">file</span><span class="min-w-0 flex-1">listen</span>
      <span class="w-36 max-xl:hidden xl:w-44">differs by</span><span class="w-14 text-right">length</span
      ><span class="w-20 text-right">LUFS</span><span class="w-12" />
    </div>
    <HeardList
      v-slot="{ one }"
      class="min-h-0 flex-1"
      :rows="shown"
      :key-of="(one) => one.number"
      :row-px="52"
      :chosen="variations.chosenNumber"
      :letters="LETTERS"
      label="Variations: K keeps, D drops"
      testid="variations"
      @hear="variations.hear"
    >
      <span class="w-8 text-right text-soft">{{ one.number }}</span>
      <span class="w-44 min-w-0 leading-tight">
        <span class="block truncate font-serif text-base" :class="one.kept ? '' : 'text-soft'" :title="`${one.file}: ${one.words}`">{{
          one.file.replace(/\.\w+$/, "") || "not handed over"
        }}</span>
        <span class="text-xs" :class="one.near === null ? 'text-soft' : 'text-warn'">{{ status(one) }}</span>
      </span>
      <button
        class="h-9 min-w-0 flex-1"
        tabindex="-1"
        :aria-label="`${variations.heard(one) ? 'Stop' : 'Listen to'} ${one.number}`"
        @click="variations.hear(one)"
      >
        <VariationWave :pairs="one.pairs" :strong="variations.heard(one)" :pale="!one.kept" />
      </button>
      <span class="line-clamp-2 w-36 text-xs max-xl:hidden xl:w-44" :title="one.words">{{ one.words }}</span>
      <span class="w-14 text-right">{{ seconds(one.seconds) }}</span>
      <span class="w-20 text-right">{{ one.loudness === null ? "silent" : one.loudness.toFixed(1).replace("-", "−") }}</span>
      <button
        class="quiet w-12 !px-1 !py-0"
        tabindex="-1"
        :title="one.kept ? 'Drop (D)' : 'Keep (K)'"
        :aria-label="`${one.kept ? 'Drop' : 'Keep'} ${one.number}`"
        @click="variations.decide(one.number, !one.kept)"
      >
        {{ one.kept ? "Drop" : "Keep" }}
      </button>
    </HeardList>
  </div>
</template>
