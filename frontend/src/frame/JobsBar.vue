<script setup lang="ts">
/** Long work under way, one line, with Cancel. */
import { computed } from "vue";

import { useField } from "../stores/field";
import { useJobs } from "../stores/jobs";

const jobs = useJobs();
const field = useField();
// stages of a recipe are shown where they are waited for, on the Bench
const listed = computed(() => jobs.active.filter(({ kind }) => kind !== "stage"));
const first = computed(() => listed.value.find(({ state }) => state === "running") ?? listed.value[0] ?? null);
const more = computed(() => listed.value.length - 1);
const left = computed(() => {
  const seconds = first.value && jobs.secondsLeft(first.value);
  return seconds === null || seconds === undefined ? "" : `about ${Math.max(1, Math.round(seconds))} s left`;
});
</script>

<template>
  <div v-if="first || field.sending" class="flex h-8 shrink-0 items-center gap-6 border-t border-hairline bg-sheet px-5" role="status">
    <div v-if="field.sending" class="flex min-w-0 flex-1 items-center gap-3">
      <span class="truncate"
        >Adding {{ field.sending.name }}<span v-if="field.left > 1">, {{ field.left - 1 }} more</span></span
      >
      <progress class="h-1.5 w-40 shrink-0" :value="field.sending.share" :aria-label="`Adding ${field.sending.name}`" />
      <button class="quiet font-medium" @click="field.stopAdding()">Cancel</button>
    </div>
    <div v-if="first" class="flex min-w-0 flex-1 items-center gap-3">
      <span class="truncate"
        >{{ first.words }} {{ first.title }}<span v-if="more > 0">, {{ more }} more waiting</span></span
      >
      <progress class="h-1.5 w-40 shrink-0" :value="first.progress" :aria-label="first.title" />
      <span class="text-soft">{{ left }}</span>
      <button class="quiet font-medium" @click="jobs.cancel(first.id)">Cancel</button>
    </div>
  </div>
</template>
