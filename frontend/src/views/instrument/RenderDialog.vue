<script setup lang="ts">
/** Render a note or a MIDI file to sound, then download it or put it back on the shelf. */
import DialogFrame from "../../frame/DialogFrame.vue";
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { api, wanted } from "../../api/client";
import type { Job, RenderRequest } from "../../api/types";
import Segments from "../../controls/Segments.vue";
import { useEnsemble } from "../../stores/ensemble";
import { useField } from "../../stores/field";
import { useInstrument } from "../../stores/instrument";
import { isActive, useJobs } from "../../stores/jobs";
import { useNotices } from "../../stores/notices";
import { usePrints } from "../../stores/prints";
import { noteName, parseNote } from "../../theme/words";

/** Of the instrument in hand, or of the ensemble. */
const props = defineProps<{ open: boolean; ensemble?: boolean }>();
const emit = defineEmits<{ close: [] }>();
const instrument = useInstrument();
const together = useEnsemble();
const jobs = useJobs();
const name = computed(() => (props.ensemble ? together.document?.name : instrument.document?.name) ?? "");
const field = useField();
const prints = usePrints();
const router = useRouter();

const source = ref<"note" | "midi">("note");
const note = ref("C3");
const seconds = ref(6);
const velocity = ref(100);
const format = ref<"wav24" | "wav32f" | "flac">("wav24");
const title = ref("");
const midi = ref<File | null>(null);
const jobId = ref<string | null>(null);
const keptId = ref<number | null>(null);

const job = computed<Job | null>(() => jobs.jobs.find(({ id }) => id === jobId.value) ?? null);
const running = computed(() => jobId.value !== null && (!job.value || isActive(job.value)));
const key = computed(() => parseNote(note.value));
const problem = computed(() => {
  if (source.value === "midi") return midi.value ? "" : "Choose a MIDI file.";
  if (key.value === null) return "Write a note, such as C3 or F♯2.";
  return seconds.value >= 0.01 && seconds.value <= 3600 ? "" : "The note can last up to 3600 s.";
});

watch(
  () => props.open,
  (open) => {
    if (!open) return;
    const root = props.ensemble ? null : instrument.layer?.sounds[0]?.root;
    note.value = noteName(Math.round(root ?? 60));
    title.value = "";
    jobId.value = keptId.value = null;
  },
);

async function render(): Promise<void> {
  try {
    const body: Partial<RenderRequest> = {
      format: format.value,
      title: title.value,
      velocity: velocity.value / 127,
      seconds: seconds.value,
      key: key.value ?? 48,
    };
    if (source.value === "midi" && midi.value) body.midi = base64(await midi.value.arrayBuffer());
    keptId.value = null;
    const { job: id } = await wanted(begun(body as RenderRequest));
    jobId.value = id;
    jobs.follow(id, () => undefined);
  } catch (error) {
    useNotices().complain(error);
  }
}

function begun(body: RenderRequest) {
  return props.ensemble
    ? api.POST("/api/ensembles/{ensemble_id}/render", { params: { path: { ensemble_id: together.id! } }, body })
    : api.POST("/api/instruments/{instrument_id}/render", { params: { path: { instrument_id: instrument.id! } }, body });
}

function base64(data: ArrayBuffer): string {
  let text = "";
  for (const byte of new Uint8Array(data)) text += String.fromCharCode(byte);
  return btoa(text);
}

async function keep(): Promise<void> {
  keptId.value = await prints.keep(jobId.value!);
}

/** What was rendered is a layer of the instrument in its turn. */
async function use(): Promise<void> {
  const recording = keptId.value ?? (await prints.keep(jobId.value!));
  if (recording === null) return;
  await prints.asLayer(recording);
  emit("close");
}

async function show(): Promise<void> {
  field.query = "";
  field.chosenId = keptId.value;
  emit("close");
  await router.push("/field");
}

function chooseMidi(event: Event): void {
  midi.value = (event.target as HTMLInputElement).files?.[0] ?? null;
}
</script>

<template>
  <DialogFrame :open="open" :title="`Render ${name}`" @close="emit('close')">
    <form class="mt-4 grid grid-cols-[4.500rem_minmax(0,1fr)] items-center gap-x-3 gap-y-3" @submit.prevent="render">
      <span class="text-soft">Play</span>
      <Segments
        v-model="source"
        label="Play"
        :options="[
          { value: 'note', word: 'one note' },
          { value: 'midi', word: 'a MIDI file' },
        ]"
      />
      <template v-if="source === 'note'">
        <label class="text-soft" for="r-note">Note</label>
        <div class="flex items-center gap-2">
          <input id="r-note" v-model="note" class="field w-16" />
          <label class="ml-2 text-soft" for="r-seconds">held</label>
          <input id="r-seconds" v-model.number="seconds" type="number" min="0.01" max="3600" step="any" class="field w-[4.500rem]" /> s
          <label class="ml-2 text-soft" for="r-velocity">velocity</label>
          <input id="r-velocity" v-model.number="velocity" type="number" min="1" max="127" class="field w-[4.200rem]" />
        </div>
      </template>
      <template v-else>
        <label class="text-soft" for="r-midi">File</label>
        <input id="r-midi" type="file" accept=".mid,.midi" @change="chooseMidi" />
      </template>
      <span class="text-soft">Format</span>
      <Segments
        v-model="format"
        label="Format"
        :options="[
          { value: 'wav24', word: 'WAV 24-bit' },
          { value: 'wav32f', word: 'WAV float' },
          { value: 'flac', word: 'FLAC' },
        ]"
      />
      <label class="text-soft" for="r-title">Name</label>
      <input id="r-title" v-model="title" class="field w-full" maxlength="120" :placeholder="`${name} render`" />
      <span />
      <div class="flex items-center gap-3">
        <button type="submit" class="action-main" :disabled="running || problem !== ''">
          {{ jobId && !running ? "Render again" : "Render" }}
        </button>
        <span v-if="problem" class="text-soft">{{ problem }}</span>
      </div>
    </form>
    <div v-if="jobId" class="mt-4 border-t border-hairline pt-4" role="status">
      <div v-if="running" class="flex items-center gap-3">
        <progress class="h-1.5 flex-1" :value="job?.progress ?? 0" aria-label="Rendering" />
        <button class="quiet font-medium" @click="jobs.cancel(jobId)">Cancel</button>
      </div>
      <div v-else-if="job?.state === 'done'" class="flex items-center gap-3">
        <span class="flex-1">{{ Number(job.result.seconds).toFixed(1) }} s rendered.</span>
        <a class="action" :href="`/api/jobs/${jobId}/file`" download>Download</a>
        <button v-if="!ensemble" class="action" title="On the shelf, and as a layer of this instrument" @click="use">Use as a layer</button>
        <button v-if="keptId === null" class="action" @click="keep">Put it on the shelf</button>
        <button v-else class="action" @click="show">Show it in Field</button>
      </div>
      <p v-else-if="job?.state === 'failed'" class="text-bad">{{ job.error }}</p>
      <p v-else class="text-soft">Stopped.</p>
    </div>
  </DialogFrame>
</template>
