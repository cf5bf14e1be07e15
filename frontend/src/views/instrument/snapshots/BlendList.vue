<script setup lang="ts">
/** What the map moves: each setting, what the snapshots on the map have, and where it stands now. */
import { computed } from "vue";

import { type Declared, isChoice } from "../../../api/types";
import { spoken, toShare } from "../../../controls/scale";
import { useInstrument } from "../../../stores/instrument";
import { useLive } from "../../../stores/live";
import { useProject } from "../../../stores/project";
import { useSnapshots } from "../../../stores/snapshots";

const snapshots = useSnapshots();
const instrument = useInstrument();
const live = useLive();
const project = useProject();

const now = computed(() => (live.state === "on" && live.borrowed === null ? live.look.map?.values : undefined));
const lines = computed(() =>
  snapshots.told.blended.map((one, i) => {
    const owner = instrument.owners.get(one.owner);
    const declared = owner && project.declaredOf(owner).find(({ id }) => id === one.parameter);
    const stored = owner?.values[one.parameter];
    return { ...one, petal: owner?.petal ?? null, ...shown(declared, one.numbers, now.value?.[i], stored) };
  }),
);

/** Words for where a setting stands, and its place and those of the snapshots on its rule. */
function shown(declared: Declared | undefined, numbers: number[], playing: number | undefined, stored: unknown) {
  if (!declared) return { word: "", needle: null, ticks: [] };
  if (isChoice(declared))
    return { word: playing === undefined ? String(stored) : (declared.options[playing] ?? ""), needle: null, ticks: [] };
  const value = playing ?? Number(stored);
  return { word: spoken(declared, value), needle: toShare(declared, value), ticks: numbers.map((one) => toShare(declared, one)) };
}
</script>

<template>
  <section aria-label="What the map moves" class="flex min-h-0 flex-col">
    <h3 class="heading mb-1">What the map moves</h3>
    <p v-if="snapshots.placed.length < 2" class="text-soft">Nothing yet.</p>
    <p v-else-if="!lines.length" class="text-soft">The snapshots on the map are alike.</p>
    <ul v-else class="min-h-0 overflow-y-auto pr-2" tabindex="0" aria-label="Settings that the map moves">
      <li
        v-for="one in lines"
        :key="`${one.owner}.${one.parameter}`"
        class="pt-1.5 pb-1"
        :style="{ '--petal': one.petal ? `var(--${one.petal})` : 'var(--ink-soft)' }"
        :title="one.values.map((value, i) => `${snapshots.placed[i]?.name}: ${value}`).join(', ')"
      >
        <p class="flex items-baseline gap-2">
          <span class="min-w-0 flex-1 truncate text-soft">{{ one.name }}</span>
          <span class="shrink-0 font-medium">{{ one.word }}</span>
        </p>
        <div v-if="one.needle !== null" class="relative mt-0.5 h-2.5 border-b border-hairline" aria-hidden="true">
          <i
            class="absolute bottom-0 h-1.5 bg-[var(--petal)] opacity-25"
            :style="{ left: `${100 * Math.min(...one.ticks)}%`, right: `${100 - 100 * Math.max(...one.ticks)}%` }"
          />
          <i v-for="(tick, i) in one.ticks" :key="i" class="absolute bottom-0 h-1.5 w-px bg-soft" :style="{ left: `${100 * tick}%` }" />
          <i class="absolute bottom-0 h-2.5 w-0.5 -translate-x-1/2 bg-[var(--petal)]" :style="{ left: `${100 * one.needle}%` }" />
        </div>
      </li>
    </ul>
  </section>
</template>
