<script setup lang="ts">
import { computed, ref } from "vue";

import type { RecordingLine } from "../../api/types";
import Waveform from "../../charts/Waveform.vue";
import { useLive } from "../../stores/live";
import { dragOut } from "./dragOut";
import { cents, channels, decibels, duration, kilohertz, stem } from "../../theme/words";

const props = defineProps<{ recording: RecordingLine; chosen: boolean; picked: boolean; alike?: { likeness: number; words: string } }>();
const emit = defineEmits<{ choose: [clicked: boolean]; listen: [at: number]; hush: []; open: []; pick: []; pickTo: [] }>();
const live = useLive();

const m = computed(() => props.recording);
const listening = computed(() => live.listeningTo === props.recording.digest);
const head = computed(() => (listening.value && live.look.listening !== null ? live.look.listening / props.recording.duration_s : null));
/** Whether the sound goes by its file's own name. */
const ownName = computed(() => props.recording.kind !== "recording" || stem(props.recording.filename) === props.recording.name);
const over = computed(() => (props.recording.peak_dbfs ?? -1) > 0);
const sure = computed(() => Math.round(100 * props.recording.confidence));

function clicked(event: MouseEvent): void {
  if (event.shiftKey) emit("pickTo");
  else if (event.ctrlKey || event.metaKey) emit("pick");
  if (!event.shiftKey) emit("choose", true);
}

const shifted = ref(false);
/** The box picks one, or with Shift all from the chosen sound to this. */
function pickedByBox(): void {
  if (shifted.value) emit("pickTo");
  else emit("pick");
}

function toggle(): void {
  if (listening.value) emit("hush");
  else emit("listen", 0);
}

function listenAt(event: MouseEvent): void {
  const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
  emit("choose", true);
  emit("listen", (props.recording.duration_s * (event.clientX - box.left)) / box.width);
}
</script>

<template>
  <li
    class="row -mx-3 h-14 border-b px-3 border-hairline"
    :class="chosen ? 'relative bg-sheet before:absolute before:inset-y-0 before:left-0 before:w-1 before:bg-focus' : ''"
    :data-recording="recording.id"
    @click="clicked"
    @dblclick="emit('open')"
  >
    <div class="relative min-w-0 pl-5">
      <input
        type="checkbox"
        tabindex="-1"
        class="absolute top-1 left-0"
        :checked="picked"
        :aria-label="`Pick ${recording.name}`"
        title="Pick, for doing one thing to several (X)"
        @click.stop="shifted = $event.shiftKey"
        @change="pickedByBox"
      />
      <button
        class="block max-w-full truncate text-left font-serif text-base leading-tight"
        :tabindex="chosen ? 0 : -1"
        :aria-current="chosen"
        @focus="emit('choose', false)"
        title="Drag it to the desktop or into another program"
        draggable="true"
        @dragstart="dragOut($event, recording)"
        @keydown.enter.prevent.stop="toggle"
      >
        {{ recording.name }}
      </button>
      <span v-if="alike" class="line-clamp-2 text-xs leading-tight text-soft" :title="`${alike.words}: timbre, length and noise compared`"
        ><span class="font-semibold text-ink">{{ Math.round(100 * alike.likeness) }} %</span> {{ alike.words }}</span
      >
      <span v-else class="block truncate text-xs text-soft" :title="`${recording.filename}${ownName ? '' : `, named ${recording.name}`}`"
        ><template v-if="recording.kind === 'wavetable'">wavetable, {{ m.frames }} frames</template
        ><template v-else
          ><template v-if="recording.kind === 'clip'">material, </template
          ><template v-if="recording.kind === 'spectrum'">spectrum, </template>{{ kilohertz(m.rate) }}, {{ channels(m.channels) }}</template
        ><template v-if="!ownName">, {{ recording.filename }}</template></span
      >
    </div>
    <button
      class="relative h-11 min-w-0 cursor-text"
      tabindex="-1"
      :aria-label="`Listen to ${recording.name} from here`"
      title="Listen from here"
      @click.stop="listenAt"
      @dblclick.stop
    >
      <Waveform :digest="recording.digest" :colour="chosen ? 'wave-chosen' : 'wave'" />
      <i v-if="head !== null" class="absolute inset-y-0 w-0.5 bg-[var(--madder)]" :style="{ left: `${100 * head}%` }" />
    </button>
    <div :title="m.root_note ? `${m.root_hz?.toFixed(2)} Hz, confidence ${sure} %` : 'No clear pitch was found'">
      <template v-if="m.root_note">
        <span class="font-semibold">{{ m.root_note.replace("#", "♯") }} {{ cents(m.cents ?? 0) }}</span>
        <div class="mt-1 h-[3px] w-14 bg-hairline">
          <div class="h-full" :class="sure >= 75 ? 'bg-good' : 'bg-warn'" :style="{ width: `${sure}%` }" />
        </div>
        <span class="sr-only">confidence {{ sure }} %</span>
      </template>
      <span v-else class="text-soft">no clear pitch</span>
    </div>
    <span class="text-right">{{ duration(m.duration_s) }}</span>
    <span
      class="text-right"
      :class="{ 'font-semibold text-bad': over }"
      :title="over ? 'Highest sample, dBFS: over full scale, so other programs may clip it' : 'Highest sample, dBFS'"
      >{{ decibels(m.peak_dbfs) }}<span v-if="over" class="block text-xs">over</span></span
    >
    <span
      v-if="m.lufs === null && m.momentary_lufs !== null"
      class="text-right"
      title="Too short for integrated loudness: highest momentary loudness, LUFS"
      >{{ decibels(m.momentary_lufs) }}<span class="block text-xs text-soft">momentary</span></span
    >
    <span v-else class="text-right" title="Integrated loudness, LUFS">{{ decibels(m.lufs) }}</span>
  </li>
</template>
