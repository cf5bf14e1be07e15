<script setup lang="ts">
/** Stands in for a MIDI or MPE keyboard: makes the very messages that one would send. */
import { computed, ref } from "vue";

import { GESTURES, playGesture } from "../live/gestures";
import { receive } from "../live/midi";
import { useLive } from "../stores/live";
import { noteName } from "../theme/words";

const KEYS = 37;
const DARK = [1, 3, 6, 8, 10];
const BEND_CENTRE = 8_192;

const props = defineProps<{ octave: number }>();
const low = computed(() => Math.min(12 * (props.octave + 1), 127 - KEYS + 1));
const bend = ref(0);
const wheel = ref(0);
const pressure = ref(0);
const slide = ref(0);
const velocity = ref(100);
const sustained = ref(false);
const pressed = ref(new Map<number, number>());

const lights = computed(() => {
  const all = Array.from({ length: KEYS }, (_, i) => low.value + i);
  const white = all.filter((key) => !DARK.includes(key % 12));
  const width = 100 / white.length;
  return all.map((key) => {
    const dark = DARK.includes(key % 12);
    const before = white.filter((one) => one < key).length;
    return { key, dark, left: dark ? before * width - width * 0.3 : before * width, width: dark ? width * 0.6 : width };
  });
});
const live = useLive();
const sounding = computed(() => new Set(live.look.notes.map(([, pitch]) => Math.round(pitch))));

const send = (...bytes: number[]) => receive(new Uint8Array(bytes));

function down(event: PointerEvent, key: number): void {
  event.preventDefault();
  (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
  pressed.value.set(event.pointerId, key);
  send(0x90, key, velocity.value);
}

function up(event: PointerEvent): void {
  const key = pressed.value.get(event.pointerId);
  if (key !== undefined) send(0x80, key, 64);
  pressed.value.delete(event.pointerId);
}

function bent(): void {
  const value = Math.min(16_383, Math.round((bend.value + 1) * BEND_CENTRE));
  send(0xe0, value & 0x7f, value >> 7);
}

const gesture = ref("");
async function playScript(name: keyof typeof GESTURES): Promise<void> {
  gesture.value = name;
  await playGesture(
    GESTURES[name]!,
    (bytes) => send(...bytes),
    () => gesture.value === name,
  );
  gesture.value = "";
}

function springBack(): void {
  bend.value = 0;
  bent();
}
</script>

<template>
  <div class="flex gap-4" data-testid="keyboard">
    <div class="flex w-28 shrink-0 flex-col items-start text-xs" role="group" aria-label="Gestures">
      <button
        v-for="(_, name) in GESTURES"
        :key="name"
        class="quiet !px-1 !py-0"
        :class="{ 'font-semibold': gesture === name }"
        title="Plays by itself, with notes of their own bend, push and slide (MPE)"
        @click="gesture === name ? (gesture = '') : playScript(name)"
      >
        {{ gesture === name ? "Stop" : name }}
      </button>
    </div>
    <div class="grid w-64 shrink-0 grid-cols-[3.6rem_1fr] items-center gap-x-2 text-xs text-soft">
      <label for="kb-bend">bend</label>
      <input id="kb-bend" v-model.number="bend" type="range" min="-1" max="1" step="0.01" @input="bent" @change="springBack" />
      <label for="kb-wheel">wheel</label>
      <input id="kb-wheel" v-model.number="wheel" type="range" min="0" max="127" @input="send(0xb0, 1, wheel)" />
      <label for="kb-pressure">pressure</label>
      <input id="kb-pressure" v-model.number="pressure" type="range" min="0" max="127" @input="send(0xd0, pressure)" />
      <label for="kb-slide">slide</label>
      <input id="kb-slide" v-model.number="slide" type="range" min="0" max="127" @input="send(0xb0, 74, slide)" />
      <label for="kb-velocity">velocity</label>
      <span class="flex items-center gap-2">
        <input id="kb-velocity" v-model.number="velocity" type="range" min="1" max="127" />
        <button
          class="quiet !px-1 !py-0"
          :class="sustained ? 'bg-ink font-medium text-paper hover:!bg-ink' : ''"
          :aria-pressed="sustained"
          title="The sustain pedal (controller 64): down or up"
          @click="((sustained = !sustained), send(0xb0, 64, sustained ? 127 : 0))"
        >
          sustain
        </button>
      </span>
    </div>
    <div class="relative flex-1 touch-none overflow-hidden border border-hairline select-none">
      <button
        v-for="one in lights"
        :key="one.key"
        tabindex="-1"
        class="absolute top-0 border-x border-hairline"
        :class="one.dark ? 'z-10 h-[60%] bg-[var(--ink-soft)]' : 'h-full bg-sheet'"
        :style="{ left: `${one.left}%`, width: `${one.width}%`, background: sounding.has(one.key) ? 'var(--petal)' : undefined }"
        :aria-label="noteName(one.key)"
        @pointerdown="down($event, one.key)"
        @pointerup="up"
        @pointercancel="up"
      >
        <span v-if="one.key % 12 === 0" class="absolute inset-x-0 bottom-0.5 text-xs text-soft">{{ noteName(one.key) }}</span>
      </button>
    </div>
  </div>
</template>

<style scoped>
input[type="range"] {
  width: 100%;
  height: 14px;
  accent-color: var(--ink);
}
</style>
