<script setup lang="ts">
/** Loops that close, best first: look, listen, take. */
import { ref, watch } from "vue";

import { api, wanted } from "../../api/client";
import type { LoopFound } from "../../api/types";
import { useLive } from "../../stores/live";
import { seconds } from "../../theme/words";

const props = defineProps<{ soundKey: string; from: number; to: number; current: { start: number; end: number } | null }>();
const emit = defineEmits<{ take: [loop: LoopFound] }>();
const live = useLive();
const loops = ref<LoopFound[]>([]);
const tried = ref(0);
const problem = ref("");
const busy = ref(false);
const heard = ref(-1);
let asked = 0;

async function find(): Promise<void> {
  const number = ++asked;
  busy.value = true;
  problem.value = "";
  try {
    const params = { path: { digest: props.soundKey }, query: { start: props.from, end: props.to } };
    const found = await wanted(api.GET("/api/sounds/{digest}/loops", { params }));
    if (number !== asked) return;
    loops.value = found.loops;
    tried.value = found.tried;
  } catch (error) {
    if (number === asked) [loops.value, problem.value] = [[], error instanceof Error ? error.message : String(error)];
  }
  busy.value = false;
}

function listen(loop: LoopFound, index: number): void {
  if (heard.value === index && live.listeningTo) {
    heard.value = -1;
    return live.hush();
  }
  heard.value = index;
  live.listen(props.soundKey, loop.start, {
    loop: { start: loop.start, end: loop.end, crossfade: loop.crossfade_ms, curve: loop.curve, direction: "forward" },
  });
}

const isCurrent = (loop: LoopFound) =>
  props.current !== null && Math.abs(loop.start - props.current.start) < 1e-4 && Math.abs(loop.end - props.current.end) < 1e-4;

watch(() => [props.soundKey, props.from, props.to], find, { immediate: true });
</script>

<template>
  <section aria-label="Loops found">
    <div class="flex items-baseline justify-between">
      <h2 class="font-serif text-lg">Loops found</h2>
      <span class="text-soft">{{ busy ? "looking" : loops.length ? `${loops.length} of ${tried} tried` : "" }}</span>
    </div>
    <p v-if="problem" class="text-soft">{{ problem }}</p>
    <p v-else-if="!busy && !loops.length" class="text-soft">
      Nothing here closes well: drag a longer region, or set the loop by hand with a long crossfade.
    </p>
    <ul>
      <li
        v-for="(loop, i) in loops"
        :key="i"
        class="-mx-2 flex items-center gap-2 px-2"
        :class="isCurrent(loop) ? 'bg-sheet' : ''"
        :data-loop="i"
      >
        <button
          class="flex min-w-0 flex-1 items-center gap-2 py-1 text-left"
          :aria-pressed="isCurrent(loop)"
          :title="`${loop.curve}, crossfade ${Math.round(loop.crossfade_ms)} ms. Click to take it.`"
          @click="emit('take', loop)"
        >
          <span class="w-[5.200rem]">from {{ seconds(loop.start) }}</span>
          <span class="w-12 font-semibold">{{ seconds(loop.end - loop.start) }}</span>
          <span v-if="loop.from_file" class="flex-1 text-xs text-soft">in the file</span>
          <span v-else class="h-1 flex-1 bg-hairline"
            ><i class="block h-full" :class="loop.closes > 0.75 ? 'bg-good' : 'bg-warn'" :style="{ width: `${100 * loop.closes}%` }"
          /></span>
          <span class="sr-only">closes {{ Math.round(100 * loop.closes) }} %</span>
        </button>
        <button class="quiet text-focus" :aria-label="`Listen to loop ${i + 1}`" @click="listen(loop, i)">
          {{ heard === i && live.listeningTo === soundKey ? "Stop" : "Listen" }}
        </button>
      </li>
    </ul>
  </section>
</template>
