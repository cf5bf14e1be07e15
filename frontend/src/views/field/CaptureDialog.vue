<script setup lang="ts">
/** Record from the microphone: level, countdown, markers; safe on the server as it runs. */
import { useLocalStorage } from "@vueuse/core";
import { ref, shallowRef, watch } from "vue";

import { api, wanted } from "../../api/client";
import DialogFrame from "../../frame/DialogFrame.vue";
import { type Input, type Progress, Recorder } from "../../live/capture";
import { useField } from "../../stores/field";
import { useJobs } from "../../stores/jobs";
import { useNotices } from "../../stores/notices";
import CaptureInput from "./CaptureInput.vue";
import CaptureLeftOver from "./CaptureLeftOver.vue";
import CaptureMeter from "./CaptureMeter.vue";

const props = defineProps<{ open: boolean }>();
const emit = defineEmits<{ close: [] }>();
const field = useField();
const recorder = shallowRef<Recorder | null>(null);
const state = ref<"idle" | "opening" | "ready" | "counting" | "running" | "stopped">("idle");
const progress = ref<Progress>({ seconds: 0, peak: 0, safe: 0 });
const count = ref(0);
const markers = ref<number[]>([]);
const problem = ref("");
const name = ref("");
const input = useLocalStorage<Input>("bloom-capture", { device: "", channels: 2, rate: 0 });
const heard = ref(false);
const peakHeld = ref(0);
let timer: ReturnType<typeof setInterval> | undefined;

watch(
  () => props.open,
  (open) => {
    if (!open) return;
    reset();
  },
);

function reset(): void {
  state.value = "idle";
  progress.value = { seconds: 0, peak: 0, safe: 0 };
  markers.value = [];
  problem.value = "";
  peakHeld.value = 0;
  name.value = `Capture ${new Date().toLocaleString("sv").slice(0, 16)}`;
}

async function listen(): Promise<void> {
  problem.value = "";
  state.value = "opening";
  try {
    recorder.value = await Recorder.open(input.value, told, failed);
    state.value = "ready";
  } catch (error) {
    problem.value = error instanceof Error ? error.message : String(error);
    state.value = "idle";
  }
}

/** Another input was chosen. */
async function again(): Promise<void> {
  if (state.value !== "ready") return;
  await recorder.value?.stop();
  await listen();
  recorder.value?.hear(heard.value);
}

function told(now: Progress): void {
  progress.value = now;
  peakHeld.value = Math.max(peakHeld.value, now.peak);
}

function failed(text: string): void {
  problem.value = text;
  void stop();
}

async function countDown(): Promise<void> {
  state.value = "counting";
  try {
    await recorder.value!.prepare();
  } catch (error) {
    problem.value = error instanceof Error ? error.message : String(error);
    state.value = "ready";
    return;
  }
  count.value = 3;
  timer = setInterval(() => {
    count.value -= 1;
    if (count.value > 0) return;
    clearInterval(timer);
    peakHeld.value = 0;
    recorder.value?.begin();
    state.value = "running";
  }, 1_000);
}

function mark(): void {
  if (state.value === "running") markers.value = [...markers.value, progress.value.seconds];
}

async function stop(): Promise<void> {
  clearInterval(timer);
  if (!recorder.value || state.value === "stopped") return;
  state.value = "stopped";
  await recorder.value.stop();
}

async function keep(id: string, title: string, places: number[]): Promise<void> {
  try {
    const params = { path: { capture_id: id } };
    const asked = api.POST("/api/captures/{capture_id}/keep", { params, body: { name: title, notes: "", markers: places } });
    useJobs().follow((await wanted(asked)).job, (job) => void field.arrived(job.result.recording));
    if (recorder.value?.capture?.id === id) close(false);
  } catch (error) {
    useNotices().complain(error);
  }
}

const REGRET_MS = 10_000;

/** Thrown away a little later, so that it can be taken back; until then it lies where cut-short ones do. */
function drop({ id }: { id: string }, seconds: number): void {
  const gone = () =>
    wanted(api.DELETE("/api/captures/{capture_id}", { params: { path: { capture_id: id } } })).catch((error) =>
      useNotices().complain(error),
    );
  if (!seconds) return void gone();
  const regret = setTimeout(gone, REGRET_MS);
  useNotices().say("The capture is thrown away.", () => {
    clearTimeout(regret);
    useNotices().say("It is kept: find it under Capture from the microphone.");
  });
}

/** Closing keeps a capture that runs safe on the server; one that never began is dropped. */
function close(ask = true): void {
  const one = recorder.value;
  if (ask && state.value === "running") return;
  void stop().then(() => {
    if (ask && one?.capture && progress.value.seconds === 0) drop(one.capture, 0);
  });
  recorder.value = null;
  emit("close");
}
</script>

<template>
  <DialogFrame :open="open" title="Capture from the microphone" @keydown.m="mark" :closable="state !== 'running'" @close="close()">
    <p v-if="problem" class="mt-3 border-l-4 border-bad pl-3" role="alert">{{ problem }}</p>
    <CaptureLeftOver
      v-if="state === 'idle'"
      :open="open"
      @keep="(one) => keep(one.id, `Capture ${one.began.slice(0, 10)}`, [])"
      @drop="drop"
    />
    <CaptureInput v-if="state !== 'stopped' && state !== 'running' && state !== 'counting'" v-model="input" class="mt-3" @change="again" />
    <div v-if="state === 'idle' || state === 'opening'" class="mt-4 flex items-center gap-3">
      <button class="action-main" :disabled="state === 'opening'" @click="listen">
        {{ state === "opening" ? "Waiting for the browser" : "Open the microphone" }}
      </button>
      <span class="text-soft">Nothing is kept until you start.</span>
    </div>
    <template v-else>
      <CaptureMeter
        :progress="progress"
        :peak-held="peakHeld"
        :countdown="state === 'counting' ? count : null"
        :running="state === 'running'"
      />
      <div class="mt-4 flex items-center gap-2">
        <button v-if="state === 'ready'" class="action-main" @click="countDown">Start in 3 seconds</button>
        <label v-if="state !== 'stopped'" class="flex items-center gap-1.5" title="Use headphones: a loudspeaker feeds back"
          ><input v-model="heard" type="checkbox" @change="recorder?.hear(heard)" />hear the input</label
        >
        <button v-if="state === 'counting' || state === 'running'" class="action-main" @click="stop">Stop</button>
        <button v-if="state === 'running'" class="action" title="M" @click="mark">Drop a marker</button>
        <span v-if="markers.length" class="text-soft"
          >{{ markers.length }} {{ markers.length === 1 ? "marker" : "markers" }}, last at {{ markers.at(-1)!.toFixed(1) }} s</span
        >
      </div>
      <form class="mt-4 flex items-center gap-2" @submit.prevent="recorder?.capture && keep(recorder.capture.id, name, markers)">
        <input v-model="name" class="field min-w-0 flex-1" maxlength="120" aria-label="Name of the capture" @keydown.m.stop />
        <template v-if="state === 'stopped' && recorder?.capture">
          <button class="action-main" type="submit" :disabled="progress.safe === 0">Put it on the shelf</button>
          <button class="quiet text-soft" type="button" @click="(drop(recorder.capture!, progress.seconds), close(false))">
            Throw away
          </button>
        </template>
      </form>
    </template>
  </DialogFrame>
</template>
