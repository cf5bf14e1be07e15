<script setup lang="ts">
/** One line of a take: sound over hands; moments in brackets; a click listens from there, a drag chooses a stretch. */
import { computed, ref, shallowRef, watch } from "vue";

import type { Lane, Moment, PlayedNote } from "../../api/types";
import { drawLine, SOUND_SHARE } from "../../charts/takeLine";
import { useDrawing } from "../../composables/drawing";
import type { Stretch } from "../../stores/takes";

const LEAST_DRAG_PX = 5;
const props = defineProps<{
  from: number;
  to: number;
  /** Where the take ends: a last line is shorter. */
  end: number;
  peaks: Int16Array | null;
  loudest: number;
  keys: [number, number];
  notes: readonly PlayedNote[];
  lanes: readonly Lane[];
  moments: readonly Moment[];
  chosen: string | null;
  stretch: Stretch | null;
  marks: readonly number[];
  head: number | null;
  shelved: ReadonlySet<string>;
}>();
const emit = defineEmits<{ listen: [at: number]; choose: [key: string]; stretch: [stretch: Stretch | null] }>();
const canvas = ref<HTMLCanvasElement>();
const box = ref<HTMLElement>();
const heard = computed(() => Math.min(props.to, props.end) - props.from);

function paint(pen: CanvasRenderingContext2D): void {
  const { from, to, peaks, loudest, notes, lanes } = props;
  drawLine(pen, { from, to, peaks, heard: heard.value, loudest, notes, lanes }, props.keys, width.value, height.value);
}
const shown = [
  () => props.peaks,
  () => props.loudest,
  () => props.notes,
  () => props.lanes,
  () => props.keys,
  () => [props.from, props.to],
];
const { width, height } = useDrawing(canvas, paint, shown);

const share = (at: number) => `${(100 * (at - props.from)) / (props.to - props.from)}%`;
const inside = (one: Stretch) => one.end > props.from && one.start < props.to;
const wide = (one: Stretch) => `${(100 * (Math.min(one.end, props.to) - Math.max(one.start, props.from))) / (props.to - props.from)}%`;
const left = (one: Stretch) => share(Math.max(one.start, props.from));
const tone = (one: Moment) => (one.key === props.chosen ? "madder" : one.kept ? "good" : one.kept === false ? "ink-soft" : "focus");
const word = (one: Moment) => (props.shelved.has(one.key) ? ", on the shelf" : one.kept ? ", kept" : one.kept === false ? ", dropped" : "");

const dragging = shallowRef<{ x: number; at: number } | null>(null);
function atOf(event: PointerEvent): number {
  const { left, width } = box.value!.getBoundingClientRect();
  const at = props.from + ((event.clientX - left) / width) * (props.to - props.from);
  return Math.min(Math.max(at, props.from), Math.min(props.to, props.end));
}
function down(event: PointerEvent): void {
  if (event.button !== 0) return;
  box.value!.setPointerCapture(event.pointerId);
  dragging.value = { x: event.clientX, at: atOf(event) };
}
function move(event: PointerEvent): void {
  const from = dragging.value;
  if (!from || Math.abs(event.clientX - from.x) < LEAST_DRAG_PX) return;
  const at = atOf(event);
  emit("stretch", { start: Math.min(at, from.at), end: Math.max(at, from.at) });
}
function up(event: PointerEvent): void {
  const from = dragging.value;
  dragging.value = null;
  if (from && Math.abs(event.clientX - from.x) < LEAST_DRAG_PX) emit("listen", from.at);
}
watch([() => props.from, () => props.to], () => (dragging.value = null));
</script>

<template>
  <div
    ref="box"
    class="relative cursor-text touch-none"
    @pointerdown="down"
    @pointermove="move"
    @pointerup="up"
    @pointercancel="dragging = null"
  >
    <i
      v-if="stretch && inside(stretch)"
      class="absolute inset-y-0 bg-[color-mix(in_srgb,var(--focus)_16%,transparent)]"
      :style="{ left: left(stretch), width: wide(stretch) }"
    />
    <i
      v-for="one in moments.filter((m) => m.key === chosen && inside(m))"
      :key="`c${one.key}`"
      class="absolute inset-y-0 bg-sheet"
      :style="{ left: left(one), width: wide(one) }"
    />
    <canvas ref="canvas" class="relative block h-full w-full" aria-hidden="true" />
    <template v-for="one in moments" :key="one.key">
      <i
        v-if="inside(one)"
        class="pointer-events-none absolute top-0 border-t-2"
        :class="[
          one.start >= from ? 'border-l-2' : '',
          one.end <= to ? 'border-r-2' : '',
          one.kept === false ? 'border-dashed opacity-60' : '',
        ]"
        :style="{
          left: left(one),
          width: wide(one),
          height: `${100 * SOUND_SHARE}%`,
          borderColor: `var(--${tone(one)})`,
        }"
      />
      <button
        v-if="one.start >= from && one.start < to"
        class="over-picture absolute top-[3px] max-w-[14rem] truncate text-left font-medium"
        :style="{ left: `calc(${left(one)} + 3px)`, color: `var(--${tone(one)})`, maxWidth: `max(2.2rem, ${wide(one)})` }"
        tabindex="-1"
        :title="`${one.words}${word(one)}`"
        @pointerdown.stop
        @click="$emit('choose', one.key)"
      >
        <b>{{ one.rank || "+" }}</b> {{ one.words }}{{ word(one) }}
      </button>
    </template>
    <i
      v-for="at in marks.filter((m) => m >= from && m < to)"
      :key="`m${at}`"
      class="pointer-events-none absolute bottom-0 h-2 w-0.5"
      :style="{ left: share(at), background: 'var(--madder)' }"
      title="You marked this"
    />
    <i
      v-if="head !== null && head >= from && head < to"
      class="pointer-events-none absolute inset-y-0 w-0.5 bg-[var(--madder)]"
      :style="{ left: share(head) }"
      data-testid="take-head"
    />
    <i class="absolute bottom-0 left-0 h-px bg-hairline" :style="{ width: share(Math.min(to, end)) }" />
  </div>
</template>
