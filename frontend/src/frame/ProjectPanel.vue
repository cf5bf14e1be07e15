<script setup lang="ts">
/** What belongs to the project as a whole: reference pitch, the room it takes on disk, machines that help. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/vue";
import { computed, ref, shallowRef } from "vue";

import { api, wanted } from "../api/client";
import type { Storage } from "../api/types";
import JobOutcome from "../controls/JobOutcome.vue";
import TypedEntry from "../controls/TypedEntry.vue";
import { isActive, useJobs } from "../stores/jobs";
import { useNotices } from "../stores/notices";
import { useProject } from "../stores/project";
import { bytes } from "../theme/words";

const project = useProject();
const jobs = useJobs();
const storage = shallowRef<Storage | null>(null);
const tidying = ref(false);
const groups = computed(() =>
  [
    { words: "stays", tidied: false },
    { words: "can be made again", tidied: true },
  ].map(({ words, tidied }) => ({ words, parts: storage.value?.parts.filter((one) => one.tidied === tidied) ?? [] })),
);
const total = computed(() => storage.value?.parts.reduce((sum, one) => sum + one.bytes, 0) ?? 0);

async function look(): Promise<void> {
  try {
    storage.value = await wanted(api.GET("/api/storage"));
  } catch (error) {
    useNotices().complain(error);
  }
}

async function tidy(): Promise<void> {
  tidying.value = true;
  try {
    storage.value = await wanted(api.POST("/api/storage/tidy"));
    const { freed } = storage.value;
    useNotices().say(freed ? `${bytes(freed)} freed.` : "There was nothing to give up: all of it is in use.");
  } catch (error) {
    useNotices().complain(error);
  }
  tidying.value = false;
}

/** Take a number that was typed, if it is one; what is out of range the server says. */
function typed(field: "tuning" | "keep_days" | "keep_gb", text: string): boolean {
  const value = Number(text);
  if (text === "" || !Number.isFinite(value)) return false;
  void project.change({ [field]: value });
  return true;
}

/** The jobs that were started here last. */
const started = ref({ archive: "", check: "" });
const jobOf = (what: "archive" | "check") => jobs.jobs.find((one) => one.id === started.value[what]) ?? null;
const backup = computed(() => jobOf("archive"));
const checking = computed(() => jobOf("check"));
async function start(what: "archive" | "check"): Promise<void> {
  try {
    const { job } = await wanted(what === "archive" ? api.POST("/api/project/archive") : api.POST("/api/project/check"));
    started.value = { ...started.value, [what]: job };
    jobs.follow(job, () => undefined);
  } catch (error) {
    useNotices().complain(error);
  }
}

const scheduler = computed(() => project.settings.scheduler);
/** Take an address that was typed; what is none the server says. */
function address(text: string): void {
  void project.change({ scheduler: text.trim() });
}
</script>

<template>
  <Popover class="relative">
    <PopoverButton
      class="quiet !px-1 text-soft"
      title="Reference pitch, room on disk, other machines"
      aria-label="Project settings"
      @click="look"
    >
      &#9662;
    </PopoverButton>
    <PopoverPanel class="floating absolute left-0 z-30 mt-2 max-h-[calc(100vh-60px)] w-88 overflow-y-auto p-4 whitespace-normal">
      <label class="flex items-center gap-2">
        <span class="flex-1">Reference pitch A4</span>
        <TypedEntry
          type="number"
          min="400"
          max="480"
          step="0.1"
          class="field w-20"
          :value="project.settings.tuning"
          aria-label="Reference pitch A4 in Hz"
          :take="(text) => typed('tuning', text)"
        />
        Hz
      </label>
      <p class="heading mt-4 mb-1">Room on disk</p>
      <table v-if="storage" class="w-full">
        <tbody>
          <template v-for="(group, stays) in groups" :key="stays">
            <tr>
              <th colspan="2" class="pt-1.5 text-left text-xs font-normal text-soft">{{ group.words }}</th>
            </tr>
            <tr v-for="part in group.parts" :key="part.words">
              <td class="py-0.5">{{ part.words }}</td>
              <td class="text-right">{{ bytes(part.bytes) }}</td>
            </tr>
          </template>
          <tr class="border-t border-hairline font-medium">
            <td class="py-0.5">all together</td>
            <td class="text-right">{{ bytes(total) }}</td>
          </tr>
        </tbody>
      </table>
      <p v-else class="text-soft">Counting</p>
      <p class="mt-2 text-soft">
        What can be made again goes when it was not used for
        <TypedEntry
          type="number"
          min="1"
          max="3650"
          class="field w-16 !py-0"
          :value="project.settings.keep_days"
          aria-label="Days it is kept"
          :take="(text) => typed('keep_days', text)"
        />
        days, or when it takes more than
        <TypedEntry
          type="number"
          min="0.1"
          step="0.1"
          class="field w-16 !py-0"
          :value="project.settings.keep_gb"
          aria-label="GB it may take"
          :take="(text) => typed('keep_gb', text)"
        />
        GB.
      </p>
      <button class="action mt-3" :disabled="tidying" @click="tidy">{{ tidying ? "Tidying" : "Tidy now" }}</button>
      <p class="heading mt-4 mb-1">Back up</p>
      <p class="mb-2 text-soft">The whole project as one file with checksums; <i>bloom open</i> opens it, here or on another machine.</p>
      <JobOutcome :job="backup" doing="Backing up" class="mb-2" />
      <JobOutcome v-if="isActive(checking)" :job="checking" doing="Checking" class="mb-2" />
      <p v-else-if="checking?.state === 'done'" class="mb-2" :class="checking.result.problems.length ? 'text-bad' : ''">
        {{ checking.result.problems[0] ?? checking.result.name }}
        <span v-if="checking.result.problems.length > 1">And {{ checking.result.problems.length - 1 }} more.</span>
      </p>
      <span class="flex gap-2">
        <button class="action" :disabled="isActive(backup)" @click="start('archive')">Back up</button>
        <button class="action" :disabled="isActive(checking)" title="Compares every recording with its checksum" @click="start('check')">
          Check recordings
        </button>
      </span>
      <p class="heading mt-4 mb-1">Other machines</p>
      <label class="flex items-center gap-2">
        <span class="shrink-0">Scheduler</span>
        <TypedEntry
          class="field min-w-0 flex-1"
          :value="scheduler"
          placeholder="none: this machine does it"
          title="A Dask scheduler, as tcp://host:8786. Its workers draw variations and sample instruments."
          aria-label="Address of a scheduler"
          maxlength="200"
          spellcheck="false"
          :take="address"
        />
      </label>
      <p class="mt-1 text-soft">Variations and samples are then done by its workers; what they make is the same.</p>
    </PopoverPanel>
  </Popover>
</template>
