<script setup lang="ts">
/** Timecode along the picture, and its scenes: a click looks there, a scene's edge is dragged. */
import { computed, ref } from "vue";

import type { TimelineScene } from "../../api/types";
import { labelStep } from "../../charts/timecode";
import { followPointer } from "../../composables/pointer";
import { useTimeline } from "../../stores/timeline";
import { useScale } from "./scale";

const APART_PX = 88;
const props = defineProps<{ from: number; to: number; width: number }>();
const timeline = useTimeline();
const pixels = useScale();
const strip = ref<HTMLElement>();
const moving = ref<{ id: string; start: number } | null>(null);

const total = computed(() => timeline.document?.frames ?? 1);
/** Only what is in view is drawn. */
const labels = computed(() => {
  const step = labelStep(timeline.rate, pixels.value, APART_PX);
  const first = Math.floor(props.from / step);
  const last = Math.min(Math.floor((total.value - 1) / step), Math.ceil(props.to / step));
  return Array.from({ length: Math.max(0, last - first + 1) }, (_, i) => (first + i) * step);
});
const scenes = computed(() => {
  const all = timeline.document?.scenes ?? [];
  const starts = all.map((one) => (moving.value?.id === one.id ? moving.value.start : one.start));
  return all.map((one, i) => ({ one, start: starts[i]!, end: starts[i + 1] ?? total.value }));
});
const now = computed(() => [...scenes.value].reverse().find(({ start }) => start <= timeline.head)?.one.id ?? null);
const frameAt = (event: PointerEvent) => Math.floor((event.clientX - strip.value!.getBoundingClientRect().left) / pixels.value);

function look(event: PointerEvent): void {
  timeline.goTo(frameAt(event));
  followPointer(event, (now) => timeline.goTo(frameAt(now)));
}

function dragScene(event: PointerEvent, scene: TimelineScene): void {
  const move = (now: PointerEvent): void => {
    moving.value = { id: scene.id, start: Math.max(0, Math.min(total.value - 1, frameAt(now))) };
  };
  followPointer(event, move, async (cancelled) => {
    const start = moving.value?.start;
    if (!cancelled && start !== undefined && start !== scene.start) await timeline.act({ do: "move scene", scene: scene.id, frame: start });
    moving.value = null;
  });
}

function key(event: KeyboardEvent, scene: TimelineScene): void {
  const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
  if (!event.altKey || !by) return;
  event.preventDefault();
  event.stopPropagation();
  void timeline.act({ do: "move scene", scene: scene.id, frame: scene.start + by * (event.shiftKey ? timeline.frameAt(1) : 1) });
}
</script>

<template>
  <div ref="strip" class="relative" :style="{ width: `${width}px` }">
    <div class="relative h-5 cursor-text" data-testid="ruler" @pointerdown="look">
      <span v-for="frame in labels" :key="frame" class="label" :style="{ left: `${frame * pixels}px` }">{{
        timeline.timecode(frame)
      }}</span>
    </div>
    <div class="relative h-7 border-b border-hairline" role="group" aria-label="Scenes">
      <button
        v-for="{ one, start, end } in scenes"
        :key="one.id"
        class="scene"
        :class="one.id === now ? 'bg-ink text-paper' : 'bg-sheet'"
        :style="{ left: `${start * pixels}px`, width: `${Math.max(3, (end - start) * pixels - 1)}px` }"
        :aria-current="one.id === now"
        :title="`${one.name}, from ${timeline.timecode(start)}; Alt and arrows move its start`"
        @click="timeline.goTo(start)"
        @keydown="key($event, one)"
      >
        {{ one.name }}
        <i v-if="one.start > 0 || scenes.length > 1" class="grip" aria-hidden="true" @pointerdown.stop.prevent="dragScene($event, one)" />
      </button>
    </div>
  </div>
</template>

<style scoped>
.label {
  position: absolute;
  top: 0;
  padding-left: 4px;
  border-left: 1px solid var(--ink-soft);
  line-height: 14px;
  font-size: 12px;
  white-space: nowrap;
  color: var(--ink-soft);
  font-variant-numeric: tabular-nums;
  pointer-events: none;
}
.scene {
  position: absolute;
  top: 1px;
  bottom: 2px;
  overflow: hidden;
  padding: 0 8px;
  border: 1px solid var(--hairline);
  border-radius: 2px;
  font-family: var(--font-serif);
  font-size: 14px;
  text-align: left;
  white-space: nowrap;
  text-overflow: ellipsis;
}
.grip {
  position: absolute;
  inset: 0 auto 0 0;
  width: 6px;
  cursor: ew-resize;
  touch-action: none;
}
</style>
