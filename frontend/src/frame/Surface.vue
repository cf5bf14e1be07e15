<script setup lang="ts">
/** The expressive surface: across is pitch, up is slide, push or wheel is pressure. */
import { computed, ref } from "vue";

import { player } from "../live/player";
import { useLive } from "../stores/live";

const OCTAVES = 4;
const DARK = [1, 3, 6, 8, 10];
const VELOCITY = 0.8;
const WHEEL_STEP = 0.06;

const props = defineProps<{ octave: number }>();
const emit = defineEmits<{ shift: [by: number] }>();

const box = ref<HTMLElement>();
const touches = new Map<number, { note: number; key: number }>();
const low = computed(() => Math.min(12 * props.octave, 12 * (10 - OCTAVES)));
const span = 12 * OCTAVES + 1;
const lanes = computed(() =>
  Array.from({ length: span }, (_, i) => ({
    i,
    dark: DARK.includes((low.value + i) % 12),
    c: (low.value + i) % 12 === 0,
    octave: Math.floor((low.value + i) / 12) - 1,
  })),
);
/** What the hands do here shows at once; keyboards' notes come back from the engine. */
const FIRST_MIDI_NOTE = 2 ** 30;
const live = useLive();
const dots = computed(() =>
  [
    ...player.sounding.values(),
    ...live.look.notes
      .filter(([note]) => note >= FIRST_MIDI_NOTE)
      .map(([note, key, slide, pressure]) => ({ note, key, bend: 0, slide, pressure })),
  ]
    .map((one) => ({ ...one, x: (one.key + one.bend - low.value + 0.5) / span }))
    .filter(({ x }) => x >= 0 && x <= 1),
);

function place(event: PointerEvent): { key: number; slide: number } {
  const area = box.value!.getBoundingClientRect();
  const x = Math.min(0.9999, Math.max(0, (event.clientX - area.left) / area.width));
  const y = Math.min(1, Math.max(0, 1 - (event.clientY - area.top) / area.height));
  return { key: low.value + x * span - 0.5, slide: y };
}

function push(event: PointerEvent): number {
  // a mouse has no pressure of its own: its 0.5 means nothing
  return event.pointerType === "mouse" ? 0 : event.pressure;
}

function down(event: PointerEvent): void {
  if (event.button !== 0) return;
  event.preventDefault();
  box.value?.focus({ preventScroll: true });
  box.value?.setPointerCapture(event.pointerId);
  const { key, slide } = place(event);
  const note = player.start(Math.round(key), VELOCITY, slide);
  touches.set(event.pointerId, { note, key });
}

function move(event: PointerEvent): void {
  const touch = touches.get(event.pointerId);
  if (!touch) return;
  const { key, slide } = place(event);
  player.change(touch.note, "bend", key - touch.key);
  player.change(touch.note, "slide", slide);
  if (event.pointerType !== "mouse") player.change(touch.note, "pressure", push(event));
}

function up(event: PointerEvent): void {
  const touch = touches.get(event.pointerId);
  if (touch) player.end(touch.note);
  touches.delete(event.pointerId);
}

function wheel(event: WheelEvent): void {
  event.preventDefault();
  for (const { note, pressure } of player.sounding.values()) {
    const pressed = Math.min(1, Math.max(0, pressure - Math.sign(event.deltaY) * WHEEL_STEP));
    player.change(note, "pressure", pressed);
  }
}

function key(event: KeyboardEvent): void {
  if (event.key === "ArrowLeft") emit("shift", -1);
  else if (event.key === "ArrowRight") emit("shift", 1);
  else return;
  event.preventDefault();
}
</script>

<template>
  <div
    ref="box"
    class="relative cursor-crosshair touch-none overflow-hidden border border-hairline bg-sheet select-none"
    role="group"
    tabindex="0"
    aria-label="Expressive surface: across is pitch, up is slide. The computer's keys play it too; left and right arrows change the octave."
    title="Across: pitch. Up: slide. Wheel or push: pressure."
    data-testid="surface"
    @pointerdown="down"
    @pointermove="move"
    @pointerup="up"
    @pointercancel="up"
    @wheel="wheel"
    @keydown="key"
  >
    <i
      v-for="lane in lanes"
      :key="lane.i"
      class="absolute inset-y-0"
      :class="[lane.dark ? 'bg-[var(--key-shade)]' : '', lane.c ? 'z-10 border-l border-soft' : '']"
      :style="{ left: `${(100 * lane.i) / span}%`, width: `${100 / span}%` }"
    >
      <span v-if="lane.c && lane.i < span - 1" class="absolute top-0.5 left-1 z-10 text-xs text-soft not-italic">C{{ lane.octave }}</span>
    </i>
    <span
      v-if="!dots.length"
      class="pointer-events-none absolute top-1 right-2 z-10 rounded-sm bg-sheet px-1 text-xs text-soft"
      data-testid="surface-hint"
      >across: pitch, up: slide, push or wheel: pressure</span
    >
    <i
      v-for="dot in dots"
      :key="dot.note"
      class="pointer-events-none absolute -translate-x-1/2 translate-y-1/2 rounded-full bg-[var(--petal)] bg-clip-padding"
      :style="{
        left: `${100 * dot.x}%`,
        bottom: `${14 + 76 * dot.slide}%`,
        width: `${24 + 26 * dot.pressure}px`,
        height: `${24 + 26 * dot.pressure}px`,
        borderColor: 'color-mix(in srgb, var(--petal) 30%, transparent)',
        borderWidth: `${7 + 12 * dot.pressure}px`,
      }"
    />
  </div>
</template>
