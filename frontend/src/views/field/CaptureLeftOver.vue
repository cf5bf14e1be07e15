<script setup lang="ts">
/** Captures that were cut short: kept or thrown away. One that runs belongs to its page. */
import { useIntervalFn } from "@vueuse/core";
import { ref, watch } from "vue";

import { api, wanted } from "../../api/client";
import type { Capture } from "../../api/types";
import { duration } from "../../theme/words";

const AGAIN_MS = 2_000;

const props = defineProps<{ open: boolean }>();
const emit = defineEmits<{ keep: [capture: Capture]; drop: [capture: Capture, seconds: number] }>();
const leftOver = ref<Capture[]>([]);
const gone = new Set<string>();

async function look(): Promise<void> {
  const { captures } = await wanted(api.GET("/api/captures")).catch(() => ({ captures: [] }));
  leftOver.value = captures.filter(({ id, seconds }) => seconds > 0 && !gone.has(id));
}

watch(
  () => props.open,
  (open) => open && void look(),
  { immediate: true },
);
// one that another page was recording may be cut short by now
useIntervalFn(() => props.open && leftOver.value.some(({ running }) => running) && look(), AGAIN_MS);

function done(one: Capture, what: "keep" | "drop"): void {
  gone.add(one.id);
  leftOver.value = leftOver.value.filter(({ id }) => id !== one.id);
  if (what === "keep") emit("keep", one);
  else emit("drop", one, one.seconds);
}
</script>

<template>
  <section v-if="leftOver.length" class="mt-3 border border-hairline bg-paper p-3" aria-label="Captures that were cut short">
    <p class="font-medium">Cut short earlier, and still here:</p>
    <div v-for="one in leftOver" :key="one.id" class="mt-1 flex min-h-8 items-center gap-2">
      <span class="flex-1">{{ new Date(one.began).toLocaleString("sv").slice(0, 16) }}, {{ duration(one.seconds) }}</span>
      <span v-if="one.running" class="text-soft">running in another window</span>
      <template v-else>
        <button class="action !py-0.5" @click="done(one, 'keep')">Keep</button>
        <button class="quiet text-soft" @click="done(one, 'drop')">Throw away</button>
      </template>
    </div>
  </section>
</template>
