<script setup lang="ts">
/** Over a picture: what went wrong with what it shows, or how far the work on it has come. */
import { computed } from "vue";

import { useJobs } from "../../stores/jobs";

const props = defineProps<{ problem: string; working: string | null; word: string; label: string }>();
const jobs = useJobs();
const job = computed(() => jobs.jobs.find(({ id }) => id === props.working));
</script>

<template>
  <p v-if="problem" class="floating absolute inset-x-6 top-3 border-l-4 border-l-bad px-4 py-2" role="alert">
    <strong class="text-bad">Not done. </strong>{{ problem }}
  </p>
  <div v-else-if="working" class="floating absolute right-2 bottom-7 z-20 flex items-center gap-2 px-3 py-1 text-xs" role="status">
    <span>{{ word }}</span><progress class="h-1 w-20" :value="job?.progress ?? 0" :aria-label="label" />
    <button class="quiet !py-0" @click="jobs.cancel(working)">Cancel</button>
  </div>
</template>
