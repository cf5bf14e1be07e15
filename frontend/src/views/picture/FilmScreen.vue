<script setup lang="ts">
/** The film at the frame that is heard or looked at. */
import { computed, onBeforeUnmount, ref, watch } from "vue";

import { exactOf } from "../../charts/timecode";
import { drawSoon } from "../../composables/drawing";
import { isActive, useJobs } from "../../stores/jobs";
import { useLive } from "../../stores/live";
import { useTimeline } from "../../stores/timeline";

/** Beyond this the film is set anew rather than hurried. */
const FAR_S = 0.15;
const HURRY = 3;
const MOST_HURRY = 0.25;
const SHOWN = 40;

const timeline = useTimeline();
const live = useLive();
const jobs = useJobs();
const video = ref<HTMLVideoElement>();
const input = ref<HTMLInputElement>();
const over = ref(false);
const failed = ref(false);
/** How long before its sound each picture came, in ms. */
const off = ref<number[]>([]);

const film = computed(() => timeline.document?.film ?? null);
const source = computed(() => (film.value ? `/api/films/${film.value.digest}/proxy` : ""));
const making = computed(() => (isActive(timeline.film) ? timeline.film : null));
const scene = computed(() => {
  const all = timeline.document?.scenes ?? [];
  const at = all.findLastIndex(({ start }) => start <= timeline.head);
  return at < 0 ? "" : `scene ${at + 1}`;
});
/** The middle of a frame: its edges may fall to either side. */
const middleOf = (frame: number) => (frame + 0.5) / exactOf(timeline.rate);

function look(): void {
  const element = video.value;
  if (element && !timeline.playing) element.currentTime = middleOf(timeline.head);
}
watch([() => timeline.head, source], look, { flush: "post" });

let following = false;
/** Let the film follow the sound: a little faster or slower, or set anew where it is far off. */
function follow(): void {
  if (!following) return;
  drawSoon(follow);
  const heard = live.heardAt();
  if (heard === null || !timeline.document) return;
  timeline.head = Math.max(0, Math.min(timeline.document.frames - 1, Math.floor(heard * exactOf(timeline.rate) + 1e-6)));
  const element = video.value;
  if (!element || element.seeking || element.readyState < 2) return;
  if (element.paused) void element.play().catch(() => undefined);
  const late = heard - element.currentTime;
  if (Math.abs(late) > FAR_S) element.currentTime = Math.max(0, heard + 0.02);
  else element.playbackRate = 1 + Math.max(-MOST_HURRY, Math.min(MOST_HURRY, HURRY * late));
}

/** What is on the screen, against what is heard at that moment. */
function measure(_: number, shown: VideoFrameCallbackMetadata): void {
  if (!timeline.playing) return;
  video.value?.requestVideoFrameCallback(measure);
  const heard = live.heardAt();
  if (heard === null) return;
  const atDisplay = heard + (shown.expectedDisplayTime - performance.now()) / 1_000;
  off.value = [...off.value, 1_000 * (shown.mediaTime - atDisplay)].slice(-SHOWN);
}

watch(
  () => timeline.playing,
  (playing) => {
    following = playing;
    const element = video.value;
    if (playing) {
      off.value = [];
      element?.requestVideoFrameCallback?.(measure);
      drawSoon(follow);
    } else {
      element?.pause();
      look();
    }
  },
  { immediate: true },
);
onBeforeUnmount(() => (following = false));

function take(file: File | undefined): void {
  failed.value = false;
  if (file) void timeline.addFilm(file);
}

function dropped(event: DragEvent): void {
  over.value = false;
  take(event.dataTransfer?.files[0]);
}

function picked(event: Event): void {
  const element = event.target as HTMLInputElement;
  take(element.files?.[0]);
  element.value = "";
}
defineExpose({ pick: () => input.value?.click() });
</script>

<template>
  <div
    class="relative flex items-center justify-center overflow-hidden bg-[#1b2724] text-[#eee8db]"
    :class="over ? 'outline-2 outline-focus' : ''"
    data-testid="film"
    @dragover.prevent="over = true"
    @dragleave="over = false"
    @drop.prevent="dropped"
  >
    <video
      v-if="film"
      ref="video"
      :key="source"
      class="h-full w-full object-contain"
      :src="source"
      :data-off="off.map((one) => one.toFixed(1)).join(' ')"
      muted
      playsinline
      preload="auto"
      :aria-label="`The film ${film.name}`"
      @loadeddata="look"
      @error="failed = true"
    />
    <div v-else-if="!making && timeline.sent === null" class="max-w-xs p-4 text-center text-sm">
      <p>Drop a film here, or</p>
      <button class="mt-2 rounded-sm border border-current px-3 py-1 font-medium" @click="input?.click()">Add a film</button>
      <p class="mt-2 opacity-75">Scenes and sounds can be worked on without one.</p>
    </div>
    <p v-if="failed" class="absolute inset-x-4 top-3 text-center text-sm">The film cannot be shown here; its sounds can still be placed.</p>
    <div
      v-if="making || timeline.sent !== null"
      class="absolute inset-0 flex flex-col items-center justify-center gap-2 bg-[#1b2724] text-sm"
      role="status"
    >
      <span>{{ making ? "The film is being made ready" : "The film is on its way" }}</span>
      <progress class="h-1.5 w-48" :value="making ? making.progress : (timeline.sent ?? 0)" max="1" aria-label="Making the film ready" />
      <button v-if="making" class="underline" @click="jobs.cancel(making.id)">Cancel</button>
    </div>
    <p v-if="timeline.film?.state === 'failed' && !film" class="absolute inset-x-4 bottom-9 text-center text-sm" role="alert">
      {{ timeline.film.error }}
    </p>
    <span class="clock" data-testid="clock">{{ timeline.timecode(timeline.head) }}</span>
    <span class="absolute right-3 bottom-2 text-sm">{{ scene }}</span>
    <input ref="input" class="hidden" type="file" accept="video/*,.mkv,.mov,.mxf,.avi" aria-label="A film" @change="picked" />
  </div>
</template>

<style scoped>
.clock {
  position: absolute;
  bottom: 6px;
  left: 12px;
  font-size: 20px;
  font-weight: 600;
  font-variant-numeric: tabular-nums;
  text-shadow: 0 0 4px #000;
}
</style>
