<script setup lang="ts">
/** Sounds out as files: format, rate, names; one comes as it is, several as a zip. */
import { useLocalStorage } from "@vueuse/core";
import { computed, ref, watch } from "vue";

import { api, wanted } from "../api/client";
import type { ExportRequest } from "../api/types";
import DialogFrame from "../frame/DialogFrame.vue";
import { useJobs } from "../stores/jobs";
import { useNotices } from "../stores/notices";
import { useShelf } from "../stores/shelf";
import Segments from "./Segments.vue";

/** With `stage`, what a recipe makes of the one recording goes out in its place. */
const props = defineProps<{ open: boolean; recordings: number[]; stage?: string | null }>();
const emit = defineEmits<{ close: [] }>();
const jobs = useJobs();
const shelf = useShelf();
const chosen = useLocalStorage<{ format: NonNullable<ExportRequest["format"]>; rate: number; template: string }>("bloom-export", {
  format: "wav24",
  rate: 0,
  template: "{name}",
});
const jobId = ref("");
const problem = ref("");
const job = computed(() => jobs.jobs.find(({ id }) => id === jobId.value));
const running = computed(() => job.value?.state === "queued" || job.value?.state === "running");
const what = computed(() =>
  props.recordings.length === 1 ? (shelf.byId.get(props.recordings[0]!)?.name ?? "") : `${props.recordings.length} sounds`,
);
const FORMATS = [
  { value: "wav16" as const, word: "WAV 16", help: "16 bits, dithered" },
  { value: "wav24" as const, word: "WAV 24", help: "24 bits" },
  { value: "wav32f" as const, word: "WAV float", help: "Levels above full scale stay as they are" },
  { value: "flac" as const, word: "FLAC", help: "24 bits, smaller, nothing lost; loop, root and markers kept" },
  { value: "ogg" as const, word: "OGG", help: "Much smaller, something lost; loop, root and markers kept" },
];
const RATES = [
  { value: 0, word: "its own" },
  { value: 44_100, word: "44.1" },
  { value: 48_000, word: "48" },
  { value: 96_000, word: "96 kHz" },
];

watch(
  () => props.open,
  (open) => open && ([jobId.value, problem.value] = ["", ""]),
);

async function write(): Promise<void> {
  const { format, rate, template } = chosen.value;
  problem.value = "";
  const body = { recordings: props.recordings, stage: props.stage ?? null, format, rate: rate || null, template };
  try {
    jobId.value = (await wanted(api.POST("/api/export", { body }))).job;
  } catch (error) {
    problem.value = error instanceof Error ? error.message : String(error);
    return;
  }
  const done = await jobs.ended(jobId.value);
  if (done.state === "failed") problem.value = done.error;
  if (done.state !== "done") return;
  for (const text of done.result.problems) useNotices().complain(text);
  take(done.id);
}

/** Hand the file to the browser, as a click on a link would. */
function take(id: string): void {
  const link = document.createElement("a");
  link.href = `/api/jobs/${id}/file`;
  link.download = "";
  link.click();
}
</script>

<template>
  <DialogFrame
    :open="open"
    :title="`${what} out as ${recordings.length === 1 ? 'a file' : 'files'}`"
    width="w-[34rem]"
    @close="emit('close')"
  >
    <form id="export" class="mt-3 grid grid-cols-[4.5rem_minmax(0,1fr)] items-center gap-x-3 gap-y-2" @submit.prevent="write">
      <span class="text-soft">Format</span>
      <Segments v-model="chosen.format" label="Format" :options="FORMATS" />
      <span class="text-soft">Rate</span>
      <Segments v-model="chosen.rate" label="Rate" :options="RATES" />
      <label class="text-soft" for="export-name">Names</label>
      <input id="export-name" v-model="chosen.template" class="field" maxlength="120" />
    </form>
    <p class="mt-2 text-soft">
      {name} {number} {root} {place} {date} {scene} {take} can stand in names. Loop, root and markers go into WAV files, notes and credits
      into all.
    </p>
    <p v-if="problem" class="mt-2 border-l-4 border-bad pl-3" role="alert">{{ problem }}</p>
    <template #actions>
      <template v-if="running">
        <progress class="h-1.5 flex-1" :value="job?.progress ?? 0" aria-label="Writing" />
        <button class="quiet font-medium" @click="jobs.cancel(jobId)">Cancel</button>
      </template>
      <span v-else-if="job?.state === 'done'" class="mr-auto text-soft"
        >{{ job.result.name }} is with the browser's downloads. <button class="quiet text-focus" @click="take(jobId)">Again</button></span
      >
      <button class="action-main" type="submit" form="export" :disabled="running || !recordings.length">Export</button>
    </template>
  </DialogFrame>
</template>
