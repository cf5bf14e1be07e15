<script setup lang="ts">
/** Output level, left over right, falling slowly; remembers that the ceiling held the level down until that is looked at. */
import { computed, ref, watch } from "vue";

import { useLive } from "../stores/live";
import { decibels } from "../theme/words";

const LOWEST_DB = -60;
const FALL_DB = 0.8;
const HOLD_MS = 1_200;

const live = useLive();
const shown = ref([LOWEST_DB, LOWEST_DB]);
const peak = ref(LOWEST_DB);
/** The most that the ceiling took away since it was last looked at, dB; and whether it does now. */
const worstDb = ref(0);
const held = ref(false);
let peakAt = 0;
let heldAt = 0;

const db = (value: number) => Math.max(LOWEST_DB, 20 * Math.log10(Math.max(value, 1e-6)));

watch(
  () => live.look,
  (look) => {
    shown.value = look.peaks.map((value, i) => Math.max(db(value), (shown.value[i] ?? 0) - FALL_DB));
    const top = Math.max(...look.peaks.map(db));
    const now = performance.now();
    if (top >= peak.value || now - peakAt > HOLD_MS) [peak.value, peakAt] = [top, now];
    if (look.held_db < -0.1) [worstDb.value, heldAt] = [Math.min(worstDb.value, look.held_db), now];
    held.value = now - heldAt < HOLD_MS;
    if (live.state !== "on") shown.value = [LOWEST_DB, LOWEST_DB];
  },
);

const share = (level: number) => `${(100 * (level - LOWEST_DB)) / -LOWEST_DB}%`;
const text = computed(() => (peak.value <= LOWEST_DB ? "silent" : `${decibels(peak.value)} dB`));
</script>

<template>
  <div class="flex items-center gap-2">
    <div
      class="flex items-center gap-2"
      role="meter"
      aria-label="Output level"
      :aria-valuenow="Math.round(peak)"
      :aria-valuemin="LOWEST_DB"
      aria-valuemax="0"
      :aria-valuetext="text"
      title="Highest level of the output"
    >
      <div class="w-20 space-y-[3px]">
        <div v-for="(level, i) in shown" :key="i" class="h-[5px] bg-hairline">
          <div class="h-full" :class="level > -3 ? 'bg-warn' : 'bg-good'" :style="{ width: share(level) }" />
        </div>
      </div>
      <span class="w-14 text-right text-soft">{{ text }}</span>
    </div>
    <button
      v-if="worstDb < -0.1"
      class="quiet !px-1 text-warn"
      :class="{ 'font-semibold': held }"
      :title="`The ceiling took away up to ${decibels(-worstDb)} dB. Click once you have seen it`"
      @click="worstDb = 0"
    >
      ceiling {{ decibels(worstDb) }}
    </button>
  </div>
</template>
