<script setup lang="ts">
import { onMounted, ref } from "vue";

import { unsaved, useUnsavedGuard } from "./composables/unsaved";
import AppHeader from "./frame/AppHeader.vue";
import HelpSheet from "./frame/HelpSheet.vue";
import JobsBar from "./frame/JobsBar.vue";
import Notices from "./frame/Notices.vue";
import PlayStrip from "./frame/PlayStrip.vue";
import { useShortcuts } from "./frame/shortcuts";
import { useInstrument } from "./stores/instrument";
import { useJobs } from "./stores/jobs";
import { useNotices } from "./stores/notices";
import { useProject } from "./stores/project";

const help = ref(false);
const project = useProject();
const instrument = useInstrument();
const started = ref(false);
const failure = ref("");

onMounted(async () => {
  try {
    await project.load();
    await instrument.list();
    await resume();
    void useJobs().refresh();
  } catch (error) {
    failure.value = error instanceof Error ? error.message : String(error);
    useNotices().complain(error);
  }
  started.value = true;
});

/** Take up the instrument that was in hand before the page was reloaded. */
async function resume(): Promise<void> {
  if (instrument.id !== null) return;
  const kept = Number(localStorage.getItem("bloom-instrument"));
  const known = instrument.lines.find(({ id }) => id === kept) ?? instrument.lines[0];
  if (known) await instrument.open(known.id);
}

useUnsavedGuard();
useShortcuts({ help: () => (help.value = true) });
</script>

<template>
  <div class="flex h-full flex-col">
    <AppHeader @help="help = true" />
    <main class="min-h-0 flex-1" :aria-busy="unsaved">
      <p v-if="failure" class="p-8 text-base">{{ failure }}</p>
      <RouterView v-else-if="started" />
    </main>
    <Notices />
    <JobsBar />
    <PlayStrip />
    <HelpSheet :open="help" @close="help = false" />
  </div>
</template>
