<script setup lang="ts">
/** The root as a line over the spectrogram: to be dragged up or down, or moved by keys. */
import { computed, ref } from "vue";

import { followPointer } from "../../composables/pointer";
import { frequencyAt, frequencyShare } from "../../charts/axes";
import { useProject } from "../../stores/project";
import { noteName, noteOf } from "../../theme/words";
import type { Area } from "./picture";
import type { Settings } from "./PictureSettings.vue";

const props = defineProps<{ rootHz: number; rate: number; axis: Settings["axis"]; area: Area }>();
const emit = defineEmits<{ root: [hz: number] }>();
const project = useProject();
const dragged = ref<number | null>(null);
const shownHz = computed(() => dragged.value ?? props.rootHz);
const name = computed(() => noteName(noteOf(shownHz.value, project.settings.tuning)));

function grab(event: PointerEvent): void {
  dragged.value = props.rootHz;
  followPointer(event, move, drop);
}

function move(event: PointerEvent): void {
  event.stopPropagation();
  const { top } = (event.currentTarget as HTMLElement).offsetParent!.getBoundingClientRect();
  const share = 1 - (event.clientY - top - props.area.top) / props.area.height;
  dragged.value = Math.min(12_000, Math.max(16, frequencyAt(share, props.rate, props.axis)));
}

function drop(cancelled: boolean): void {
  const hz = dragged.value;
  dragged.value = null;
  if (hz !== null && !cancelled && Math.abs(Math.log2(hz / props.rootHz)) > 1e-4) emit("root", hz);
}

function key(event: KeyboardEvent): void {
  const way = { ArrowUp: 1, ArrowDown: -1 }[event.key];
  if (!way) return;
  event.preventDefault();
  event.stopPropagation();
  emit("root", props.rootHz * 2 ** ((way * (event.shiftKey ? 1 : 0.01)) / 12));
}

const y = computed(() => props.area.top + props.area.height * (1 - frequencyShare(shownHz.value, props.rate, props.axis)));
</script>

<template>
  <div
    class="absolute right-0 left-0 z-10 -mt-1.5 h-3 cursor-ns-resize"
    role="slider"
    tabindex="0"
    aria-label="Root on the picture"
    aria-orientation="vertical"
    :aria-valuenow="Number(shownHz.toFixed(2))"
    aria-valuemin="16"
    aria-valuemax="12000"
    :aria-valuetext="name"
    title="The root: drag it up or down, or arrow keys by a cent (Shift: a semitone)"
    :style="{ top: `${y}px` }"
    @pointerdown.stop="grab"
    @keydown="key"
  >
    <i class="absolute inset-x-0 top-1.5 border-t border-dashed border-[var(--madder)]" />
    <span class="over-picture absolute top-[-9px] left-1 font-semibold">{{ name }}</span>
  </div>
</template>
