<script setup lang="ts">
/** Long work under way, one line, with Cancel. */
import { computed } from "vue";

import type { Job } from "../api/types";
import { useField } from "../stores/field";
import { useJobs } from "../stores/jobs";

const jobs = useJobs();
const field = useField();
// stages of a recipe, and sketches of variants, are shown where they are waited for
const listed = computed(() => jobs.active.filter(({ kind }) => kind !== "stage" && kind !== "sketch"));
/** What is worked on now: what is waited for and what may take long go on side by side. */
const running = computed(() => {
  const now = listed.value.filter(({ state }) => state === "running").slice(0, 2);
  return now.length ? now : listed.value.slice(0, 1);
});
const more = computed(() => listed.value.length - running.value.length);
function left(job: Job): string {
  const seconds = jobs.secondsLeft(job);
  return seconds === null ? "" : `about ${Math.max(1, Math.round(seconds))} s left`;
}
</script>

<template>
  <div
    v-if="running.length || field.sending"
    class="flex h-8 shrink-0 items-center gap-6 border-t border-hairline bg-sheet px-5"
    role="status"
  >
    <div v-if="field.sending" class="flex min-w-0 flex-1 items-center gap-3">
      <span class="truncate">Adding {{ field.sending.name }}<span v-if="field.left > 1">, {{ field.left - 1 }} more</span></span>
      <progress class="h-1.5 w-40 shrink-0" :value="field.sending.share" :aria-label="`Adding ${field.sending.name}`" />
      <button class="quiet font-medium" @click="field.stopAdding()">Cancel</button>
    </div>
    <div v-for="(job, i) in running" :key="job.id" class="flex min-w-0 flex-1 items-center gap-3">
      <span class="truncate"
        >{{ job.words }} {{ job.title }}<span v-if="more > 0 && i === running.length - 1">, {{ more }} more waiting</span></span
      >
      <progress class="h-1.5 shrink-0" :class="running.length > 1 ? 'w-24' : 'w-40'" :value="job.progress" :aria-label="job.title" />
      <span class="text-soft">{{ left(job) }}</span>
      <button class="quiet font-medium" @click="jobs.cancel(job.id)">Cancel</button>
    </div>
  </div>
</template>
