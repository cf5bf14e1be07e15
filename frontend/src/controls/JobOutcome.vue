<script setup lang="ts">
/** How a job stands whose file is waited for: how far it is, its file, or why there is none. */
import { computed } from "vue";

import type { Job } from "../api/types";
import { isActive, useJobs } from "../stores/jobs";

const props = defineProps<{ job: Job | null; doing: string }>();
const jobs = useJobs();
const running = computed(() => isActive(props.job));
</script>

<template>
  <div v-if="running" class="flex items-center gap-2">
    <progress class="h-1.5 flex-1" :value="job!.progress" max="1" :aria-label="doing" />
    <button class="quiet font-medium" @click="jobs.cancel(job!.id)">Cancel</button>
  </div>
  <p v-else-if="job?.state === 'done'" class="flex items-center gap-2">
    <span class="min-w-0 flex-1">It is ready, {{ (job.result.bytes / 1e6).toFixed(1) }} MB.</span>
    <a class="action" :href="`/api/jobs/${job.id}/file`" download>Download</a>
  </p>
  <p v-else-if="job?.state === 'failed'" class="text-bad">{{ job.error }}</p>
</template>
