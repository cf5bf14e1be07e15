<script setup lang="ts">
/** Field: what have I got, and what is it good for? */
import { refDebounced, until } from "@vueuse/core";
import { computed, nextTick, onMounted, ref, watch } from "vue";
import { useRouter } from "vue-router";

import ExportDialog from "../../controls/ExportDialog.vue";
import ViewHelp from "../../frame/ViewHelp.vue";
import { useField } from "../../stores/field";
import { useShortcuts } from "../../frame/shortcuts";
import { useInstrument } from "../../stores/instrument";
import { useLive } from "../../stores/live";
import TableDialog from "../bench/TableDialog.vue";
import { duration } from "../../theme/words";
import AddRecordings from "./AddRecordings.vue";
import FieldFilters from "./FieldFilters.vue";
import ImportReport from "./ImportReport.vue";
import LedgerHeading from "./LedgerHeading.vue";
import NothingHere from "./NothingHere.vue";
import PickedBar from "./PickedBar.vue";
import RecordingDetail from "./RecordingDetail.vue";
import RecordingLedger from "./RecordingLedger.vue";
import { droppedFiles } from "../../stores/dropped";

const field = useField();
const live = useLive();
const router = useRouter();
const search = ref<HTMLInputElement>();
const adding = ref<InstanceType<typeof AddRecordings>>();
const over = ref(false);
const started = ref<Record<string, number>>({});
const cycles = ref(false);
/** What is to go out as files. */
const exported = ref<number[]>([]);
const settled = refDebounced(
  computed(() => field.query),
  200,
);

const total = computed(() => duration(field.recordings.reduce((sum, { duration_s }) => sum + duration_s, 0)));
const words = computed(() => {
  const count = field.recordings.length;
  if (!count && !field.filtered) return "";
  const what = field.recordings.some(({ kind }) => kind !== "recording") ? "sound" : "recording";
  return `${count} ${count === 1 ? what : `${what}s`}${field.filtered ? " found" : ""}, ${total.value}`;
});

onMounted(field.load);
watch(settled, field.find);

async function grow(): Promise<void> {
  const recording = field.chosen;
  if (!recording) return;
  const at = live.listeningTo === recording.digest ? (live.look.listening ?? 0) : (started.value[recording.digest] ?? 0);
  live.hush();
  const id = await field.grow(recording, at);
  if (id === null) return;
  await useInstrument().list();
  await router.push(`/instrument/${id}`);
}

function listen(digest: string, at: number): void {
  started.value[digest] = at;
  live.listen(digest, at);
}

function toggleListening(): void {
  const chosen = field.chosen;
  if (!chosen) return;
  if (live.listeningTo === chosen.digest) live.hush();
  else listen(chosen.digest, 0);
}

async function drop(event: DragEvent): Promise<void> {
  over.value = false;
  if (event.dataTransfer) await field.add(await droppedFiles(event.dataTransfer));
}

const card = ref<InstanceType<typeof RecordingDetail>>();
const ledger = ref<InstanceType<typeof RecordingLedger>>();

/** The name is changed on the card, once that shows the chosen sound. */
async function rename(): Promise<void> {
  const id = field.chosenId;
  await until(() => field.detail?.id).toBe(id ?? undefined, { timeout: 5_000 });
  await nextTick();
  card.value?.rename();
}

useShortcuts({
  undo: () => field.undo(),
  search: () => search.value?.focus(),
  pick: () => field.chosenId !== null && field.pick(field.chosenId),
  next: () => ledger.value?.step(1),
  previous: () => ledger.value?.step(-1),
  hear: toggleListening,
  grow: () => void grow(),
  bench: () => field.chosen !== null && void router.push(`/bench/${field.chosen.id}`),
  rename: () => void rename(),
  remove: () => field.chosen !== null && void field.remove(field.chosen),
});
</script>

<template>
  <div
    class="flex h-full"
    @dragover.prevent="over = $event.dataTransfer?.types.includes('Files') ?? false"
    @dragleave.self="over = false"
    @drop.prevent="drop"
  >
    <section class="flex min-w-0 flex-1 flex-col px-6 pt-4" aria-label="Recordings">
      <div class="flex items-center gap-3">
        <h1 class="font-serif text-xl">Field</h1>
        <ViewHelp />
        <span class="flex-1 pt-1.5 text-soft">{{ field.loaded ? words : "" }}</span>
        <input
          ref="search"
          v-model="field.query"
          type="search"
          class="field w-40 lg:w-56 xl:w-64"
          placeholder="Find by name, place, note (/)"
          aria-label="Find recordings"
          @keydown.esc="field.query = ''"
        />
        <AddRecordings ref="adding" />
      </div>
      <div v-if="field.loaded" class="mt-1 flex min-h-8 items-center gap-3">
        <FieldFilters class="flex-1" />
        <PickedBar v-if="field.picked.length" @export="exported = field.picked" @cycles="cycles = true" />
      </div>
      <ImportReport @folder="adding?.folder()" />
      <LedgerHeading v-if="field.recordings.length" />
      <RecordingLedger
        v-if="field.recordings.length"
        ref="ledger"
        @pick="field.pick"
        @pick-to="field.pickTo"
        @listen="(one, at) => listen(one.digest, at)"
        @open="grow"
      />
      <NothingHere v-if="field.loaded && !field.recordings.length" @files="adding?.files()" />
    </section>
    <!-- until the chosen sound's own card has come, nothing on the one before can be pressed -->
    <RecordingDetail
      v-if="field.detail"
      ref="card"
      :key="field.detail.id"
      :inert="field.detail.id !== field.chosenId"
      :recording="field.detail"
      @grow="grow"
      @listen="toggleListening"
      @export="exported = [field.detail!.id]"
    />
    <TableDialog
      :open="cycles"
      :recordings="field.recordings.filter(({ id }) => field.picked.includes(id))"
      :of-cycles="true"
      @close="cycles = false"
    />
    <ExportDialog :open="exported.length > 0" :recordings="exported" @close="exported = []" />
    <div v-if="over" class="drop-here pointer-events-none fixed inset-3 z-30 grid place-items-center font-serif text-lg">
      Drop recordings or a folder to add them
    </div>
  </div>
</template>

<style>
.row {
  display: grid;
  grid-template-columns: minmax(8rem, 11.5rem) minmax(9rem, 3fr) 5.6rem 4.2rem 3.4rem 4rem;
  column-gap: 0.8rem;
  align-items: center;
}
</style>
