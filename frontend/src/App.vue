<script setup lang="ts">
import { defineAsyncComponent, onMounted, ref, watch } from "vue";

import { outage, unsaved, useUnsavedGuard } from "./composables/unsaved";
import AppHeader from "./frame/AppHeader.vue";
import HelpSheet from "./frame/HelpSheet.vue";
import JobsBar from "./frame/JobsBar.vue";
import Notices from "./frame/Notices.vue";
import PlayStrip from "./frame/PlayStrip.vue";
import { useShortcuts } from "./frame/shortcuts";
import { useHandbook } from "./stores/handbook";
import { useInstrument } from "./stores/instrument";
import { useJobs } from "./stores/jobs";
import { useNotices } from "./stores/notices";
import { useProject } from "./stores/project";

const book = useHandbook();
const HandbookDialog = defineAsyncComponent(() => import("./frame/HandbookDialog.vue"));
/** It comes with its pictures the first time it is opened. */
const read = ref(false);
watch(
  () => book.open,
  (open) => (read.value ||= open),
);
const project = useProject();
const instrument = useInstrument();
const started = ref(false);
const failure = ref("");

onMounted(async () => {
  try {
    await project.load();
    await instrument.list();
    await resume();
    useJobs().keepUp();
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
useShortcuts({ help: () => (book.keysOpen = true) });
</script>

<template>
  <div class="flex h-full flex-col">
    <AppHeader @help="book.show(String($route.name ?? ''))" />
    <main class="min-h-0 flex-1" :aria-busy="unsaved">
      <p v-if="failure" class="p-8 text-base">{{ failure }}</p>
      <RouterView v-else-if="started" />
    </main>
    <p
      v-if="outage"
      class="flex min-h-8 items-center gap-3 border-t border-l-4 border-hairline border-l-bad bg-sheet px-4 py-1"
      role="status"
      data-testid="outage"
    >
      <span class="flex-1"
        ><strong class="text-bad">Not stored yet. </strong>{{ outage.sentence }} What you did stays here, and is stored as soon as that is
        possible.</span
      >
      <button class="quiet text-soft" @click="outage.giveUp()">Take it back</button>
    </p>
    <Notices />
    <JobsBar />
    <PlayStrip />
    <HelpSheet :open="book.keysOpen" @close="book.keysOpen = false" />
    <HandbookDialog v-if="read" />
  </div>
</template>
