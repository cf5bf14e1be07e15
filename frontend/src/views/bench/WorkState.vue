<script setup lang="ts">
/** Over a picture: what went wrong with what it shows, or how far the work on it has come; `alone` where there is nothing to see yet. */
import { computed } from "vue";

import { useJobs } from "../../stores/jobs";

const props = defineProps<{ problem: string; working: string | null; word: string; label: string; alone?: boolean }>();
const jobs = useJobs();
const job = computed(() => jobs.jobs.find(({ id }) => id === props.working));
</script>

<template>
  <p v-if="problem" class="floating absolute inset-x-0 bottom-5 z-20 border-l-4 border-l-bad px-4 py-1.5" role="alert">
    <strong class="text-bad">Not done. </strong>{{ problem }}
  </p>
  <div
    v-else-if="working"
    class="floating absolute z-20 flex items-center gap-2 px-3 py-1"
    :class="alone ? 'top-1/3 left-1/2 -translate-x-1/2 !px-5 !py-3 text-base' : 'right-12 bottom-7 text-xs'"
    role="status"
  >
    <span>{{ word }}</span><progress class="h-1 w-20" :value="job?.progress ?? 0" :aria-label="label" />
    <button class="quiet !py-0" @click="jobs.cancel(working)">Cancel</button>
  </div>
</template>
