<script setup lang="ts">
/** The level drawn over a clip: a click on its line adds a point, points are dragged, Delete takes one out. */
import { computed, ref } from "vue";

import type { TimelineClip } from "../../api/types";
import { followPointer } from "../../composables/pointer";
import { useTimeline } from "../../stores/timeline";
import { decibels } from "../../theme/words";
import { decibelsAt, heightOf, levelAt, levelLine } from "./clipShape";

const props = defineProps<{ clip: TimelineClip }>();
const timeline = useTimeline();
const area = ref<SVGSVGElement>();
const points = computed(() => props.clip.levels);
const path = computed(() => `${timeline.pathOf(props.clip.id)}/levels`);
type Points = TimelineClip["levels"];

const store = (label: string, value: Points) => void timeline.edit(label, [{ op: "replace", path: path.value, value }]);

function at(event: PointerEvent): Points[number] {
  const box = area.value!.getBoundingClientRect();
  const share = Math.max(0, Math.min(1, (event.clientX - box.left) / box.width));
  const height = Math.max(0, Math.min(1, (event.clientY - box.top) / box.height));
  return { at: Number((share * props.clip.seconds).toFixed(3)), db: Number(decibelsAt(height).toFixed(1)) };
}

/** A point stays between its neighbours. */
function moved(all: Points, index: number, to: Points[number]): Points {
  const low = all[index - 1]?.at ?? 0;
  const high = all[index + 1]?.at ?? props.clip.seconds;
  return all.map((one, i) => (i === index ? { db: Math.max(-60, Math.min(24, to.db)), at: Math.min(high, Math.max(low, to.at)) } : one));
}

function drag(event: PointerEvent, index: number, from: Points = points.value): void {
  let last = from;
  const move = (now: PointerEvent): void => {
    last = moved(from, index, at(now));
    timeline.drag(path.value, last);
  };
  // Escape leaves it as it was
  const end = (cancelled: boolean): void => (cancelled ? timeline.drag(path.value, props.clip.levels) : store("Level", last));
  followPointer(event, move, end, area.value!);
}

function add(event: PointerEvent): void {
  const { at: time } = at(event);
  const fresh = { at: time, db: Number(levelAt(props.clip, time).toFixed(1)) };
  const all = [...points.value, fresh].sort((a, b) => a.at - b.at);
  timeline.drag(path.value, all);
  drag(event, all.indexOf(fresh), all);
}

function key(event: KeyboardEvent, index: number): void {
  const one = points.value[index]!;
  const by = event.shiftKey ? 0.1 : 1;
  const to: Record<string, Points> = {
    ArrowUp: moved(points.value, index, { ...one, db: one.db + by }),
    ArrowDown: moved(points.value, index, { ...one, db: one.db - by }),
    ArrowLeft: moved(points.value, index, { ...one, at: one.at - 0.1 * by }),
    ArrowRight: moved(points.value, index, { ...one, at: one.at + 0.1 * by }),
    Delete: points.value.filter((_, i) => i !== index),
  };
  const found = to[event.key];
  if (!found) return;
  event.preventDefault();
  event.stopPropagation();
  store("Level", found);
}
</script>

<template>
  <svg ref="area" class="absolute inset-0 h-full w-full" viewBox="0 0 1 1" preserveAspectRatio="none">
    <polyline
      :points="levelLine(clip)"
      fill="none"
      stroke="transparent"
      stroke-width="9"
      class="cursor-copy"
      style="pointer-events: stroke"
      vector-effect="non-scaling-stroke"
      @pointerdown.stop="add"
    />
    <polyline
      :points="levelLine(clip)"
      fill="none"
      stroke="var(--ink)"
      stroke-width="1.25"
      style="pointer-events: none"
      vector-effect="non-scaling-stroke"
    />
  </svg>
  <button
    v-for="(one, i) in points"
    :key="i"
    class="point"
    :style="{ left: `${(100 * one.at) / clip.seconds}%`, top: `${100 * heightOf(one.db)}%` }"
    role="slider"
    :aria-label="`Level at ${one.at.toFixed(1)} s`"
    :aria-valuenow="one.db"
    :aria-valuetext="`${decibels(one.db)} dB`"
    :title="`${decibels(one.db)} dB at ${one.at.toFixed(2)} s: drag, or Delete`"
    @pointerdown.stop="drag($event, i)"
    @keydown="key($event, i)"
  />
</template>

<style scoped>
.point {
  position: absolute;
  width: 9px;
  height: 9px;
  margin: -4.5px 0 0 -4.5px;
  border-radius: 50%;
  background: var(--sheet);
  border: 1.5px solid var(--ink);
  cursor: move;
  touch-action: none;
}
</style>
