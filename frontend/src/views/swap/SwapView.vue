<script setup lang="ts">
/** The same instrument over other recordings: which of them keeps its character? */
import { computed, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";

import NoteEntry from "../../controls/NoteEntry.vue";
import ShelfList from "../../controls/ShelfList.vue";
import ViewHelp from "../../frame/ViewHelp.vue";
import { isActive, useJobs } from "../../stores/jobs";
import { useInstrument } from "../../stores/instrument";
import { MOST_SWAPPED, useSwap } from "../../stores/swap";
import { counted, noteName } from "../../theme/words";
import SwapList from "./SwapList.vue";

const route = useRoute();
const router = useRouter();
const swap = useSwap();
const instrument = useInstrument();
const jobs = useJobs();
const picked = ref<number[]>([]);
const key = ref(60);
const held = ref(4);

const line = computed(() => instrument.lines.find(({ id }) => id === swap.instrument));
const running = computed(() => (isActive(swap.job) ? swap.job : null));
const tooMany = computed(() => picked.value.length > MOST_SWAPPED);
const words = computed(() => {
  const found = swap.sheet;
  if (!found) return "not tried on other recordings yet";
  const over = counted(found.rows.length - 1, "other recording");
  return `over ${over}, ${noteName(found.key)} held for ${found.held} s; the nearest to its character first`;
});

watch(
  () => route.params.id,
  (id) => {
    if (route.name === "swap") void swap.open(Number(id));
  },
  { immediate: true },
);

const make = () => swap.make(picked.value, key.value, held.value);
</script>

<template>
  <div class="flex h-full">
    <section class="flex min-w-0 flex-1 flex-col px-6 pt-4 pb-3" aria-label="Swap sheet">
      <div class="flex items-center gap-1">
        <h1 class="min-w-0 flex-1 truncate font-serif text-xl leading-tight">
          {{ line?.name ?? swap.sheet?.name ?? "Instrument" }}, swapped
        </h1>
        <ViewHelp />
        <button class="quiet" @click="router.push(`/instrument/${swap.instrument}`)">Back to the instrument</button>
      </div>
      <p class="mt-1 py-1 font-serif text-base text-soft italic">{{ words }}</p>
      <div v-if="running" class="mt-2 flex items-center gap-3" role="status">
        <span class="text-soft">Trying them on</span>
        <progress class="h-1.5 flex-1" :value="running.progress" max="1" aria-label="Trying recordings on" />
        <button class="quiet font-medium" @click="jobs.cancel(running.id)">Cancel</button>
      </div>
      <SwapList v-if="swap.rows.length" class="mt-2 min-h-0 flex-1" />
      <div v-else-if="!running" class="mt-[8vh] max-w-md text-base">
        <p>Would it work over another recording too?</p>
        <p class="mt-2 text-soft">
          Pick up to {{ MOST_SWAPPED }} at the right. Each takes the place of all that the instrument plays: stretches and loops are found
          anew, every setting stays. They are ranked by how far the character holds; what is good is kept as an instrument.
        </p>
      </div>
      <details v-if="swap.sheet?.problems.length" class="mt-2 max-h-32 shrink-0 overflow-y-auto border-l-4 border-warn pl-2">
        <summary class="cursor-pointer">{{ counted(swap.sheet.problems.length, "recording") }} could not be tried</summary>
        <p v-for="one in swap.sheet.problems" :key="one" class="mt-1 text-soft">{{ one }}</p>
      </details>
    </section>
    <aside class="flex w-[22rem] shrink-0 flex-col border-l border-hairline xl:w-[26rem]" aria-label="Recordings to try">
      <div class="flex min-h-0 flex-1 flex-col px-4 pt-4">
        <p class="mb-2 font-serif text-lg">Recordings to try</p>
        <ShelfList v-model="picked" class="min-h-0 flex-1" many />
      </div>
      <div class="flex shrink-0 flex-col gap-1.5 border-t border-hairline px-4 py-3">
        <p class="flex items-center gap-2">
          <span class="text-soft">key</span>
          <NoteEntry :note="key" label="Key that is held" @change="key = $event ?? 60" />
          <span class="ml-2 text-soft">held</span>
          <input v-model.number="held" class="field w-16" type="number" min="1" max="20" step="0.5" aria-label="Seconds that it is held" />
          <span>s</span>
        </p>
        <p v-if="tooMany" class="border-l-4 border-warn pl-2">{{ MOST_SWAPPED }} at most are tried at once: pick fewer.</p>
        <p v-if="swap.job?.state === 'failed'" class="text-bad">{{ swap.job.error }}</p>
        <p v-else-if="swap.job?.state === 'done'" class="text-xs text-soft">Tried: {{ swap.job.result.cost }}.</p>
        <button class="action-main" :disabled="!picked.length || tooMany || running !== null" @click="make">
          {{ picked.length ? `Try on ${counted(picked.length, "recording")}` : "Try on" }}
        </button>
      </div>
    </aside>
  </div>
</template>
