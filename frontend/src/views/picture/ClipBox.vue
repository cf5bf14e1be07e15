<script setup lang="ts">
/** A clip on its lane: moved by its body, trimmed by its edges, its level drawn where it is chosen. */
import { computed } from "vue";

import type { TimelineClip } from "../../api/types";
import { useTimeline } from "../../stores/timeline";
import { useClipDrag } from "./clipDrag";
import { levelLine, outlineOf } from "./clipShape";
import LevelPoints from "./LevelPoints.vue";
import { useScale } from "./scale";

const LEAST_PX = 6;
const props = defineProps<{ clip: TimelineClip; lane: number; colour: string; lanePx: number; muted: boolean }>();
const timeline = useTimeline();
const pixels = useScale();

const length = computed(() => timeline.frameAt(props.clip.seconds));
const chosen = computed(() => timeline.chosenId === props.clip.id);
const missing = computed(() => timeline.told?.missing.includes(props.clip.id) ?? false);
const outline = computed(() => timeline.outlines.get(props.clip.recording ?? props.clip.take ?? "") ?? null);
const loudest = computed(() => Math.max(8, ...(outline.value?.pairs ?? []).map(Math.abs)));
const shape = computed(() => (outline.value ? outlineOf(props.clip, outline.value, loudest.value) : ""));
const lanes = computed(() => timeline.document?.lanes ?? []);
const { dragged, begin } = useClipDrag(() => pixels.value, props.lanePx, drop);

/** Where it stands now, as it is dragged. */
const place = computed(() => {
  const { grip, frames = 0, lanes: down = 0 } = dragged.value ?? {};
  const start = props.clip.start + (grip === "end" ? 0 : frames);
  const end = props.clip.start + length.value + (grip === "start" ? 0 : frames);
  const lane = Math.max(0, Math.min(lanes.value.length - 1, props.lane + down));
  return { start: Math.max(0, start), end: Math.max(start + 1, end), down: lane - props.lane };
});
const style = computed(() => ({
  left: `${place.value.start * pixels.value}px`,
  width: `${Math.max(LEAST_PX, (place.value.end - place.value.start) * pixels.value)}px`,
  transform: place.value.down ? `translateY(${place.value.down * props.lanePx}px)` : undefined,
  "--petal": `var(--${props.colour})`,
}));
const words = computed(() => {
  const [start, end] = [timeline.timecode(props.clip.start), timeline.timecode(props.clip.start + length.value)];
  return `${props.clip.name}, ${start} to ${end}${missing.value ? ", its sound is gone" : ""}`;
});
const fades = computed(() => [props.clip.fade_in / props.clip.seconds, 1 - props.clip.fade_out / props.clip.seconds]);

function drop({ grip, frames, lanes: down }: { grip: string; frames: number; lanes: number }): Promise<boolean> {
  const { id, start } = props.clip;
  if (grip === "body") return moveTo(start + frames, props.lane + down);
  const end = start + length.value;
  const [from, to] = grip === "start" ? [start + frames, end] : [start, end + frames];
  return timeline.act({ do: "trim clip", clip: id, frame: from, end: to });
}

function moveTo(frame: number, lane: number): Promise<boolean> {
  const to = lanes.value[Math.max(0, Math.min(lanes.value.length - 1, lane))]?.id ?? null;
  return timeline.act({ do: "move clip", clip: props.clip.id, frame: Math.max(0, frame), lane: to });
}

function choose(event: PointerEvent): void {
  timeline.chosenId = props.clip.id;
  begin(event, "body");
}

const KEYS: Record<string, (event: KeyboardEvent) => unknown> = {
  ArrowLeft: (event) => moveTo(props.clip.start - step(event), props.lane),
  ArrowRight: (event) => moveTo(props.clip.start + step(event), props.lane),
  ArrowUp: () => moveTo(props.clip.start, props.lane - 1),
  ArrowDown: () => moveTo(props.clip.start, props.lane + 1),
  Delete: () => timeline.act({ do: "remove clip", clip: props.clip.id }),
  Enter: () => (timeline.playing ? timeline.stop() : timeline.play(props.clip.start)),
  s: () => timeline.act({ do: "split clip", clip: props.clip.id, frame: timeline.head }),
  d: () => timeline.act({ do: "duplicate clip", clip: props.clip.id }),
};
const step = (event: KeyboardEvent) => (event.shiftKey ? timeline.frameAt(1) : 1);

function key(event: KeyboardEvent): void {
  if (event.ctrlKey || event.altKey || event.metaKey || !KEYS[event.key]) return;
  event.preventDefault();
  event.stopPropagation();
  void KEYS[event.key]!(event);
}
</script>

<template>
  <div
    class="clip"
    :class="{ chosen, missing, muted, dragged }"
    :style="style"
    role="group"
    tabindex="0"
    data-letters="commands"
    :data-clip="clip.id"
    :aria-label="`${words}. Arrows move it, S splits, D repeats, Delete takes it out, Enter plays.`"
    :title="words"
    @pointerdown="choose"
    @focus="timeline.chosenId = clip.id"
    @keydown="key"
    @dblclick.stop="timeline.goTo(clip.start)"
  >
    <svg class="absolute inset-0 h-full w-full" viewBox="0 0 1 1" preserveAspectRatio="none" aria-hidden="true">
      <polygon :points="shape" fill="var(--petal)" fill-opacity="0.75" />
      <g fill="none" stroke="var(--petal)" vector-effect="non-scaling-stroke">
        <line v-if="fades[0]! > 0.004" x1="0" y1="1" :x2="Math.min(1, fades[0]!)" y2="0" vector-effect="non-scaling-stroke" />
        <line v-if="fades[1]! < 0.996" :x1="Math.max(0, fades[1]!)" y1="0" x2="1" y2="1" vector-effect="non-scaling-stroke" />
        <polyline
          v-if="clip.levels.length && !chosen"
          :points="levelLine(clip)"
          stroke-dasharray="3 2"
          vector-effect="non-scaling-stroke"
        />
      </g>
    </svg>
    <span class="name">{{ clip.name }}</span>
    <LevelPoints v-if="chosen" :clip="clip" />
    <i class="edge left-0" aria-hidden="true" @pointerdown.stop="begin($event, 'start')" />
    <i class="edge right-0" aria-hidden="true" @pointerdown.stop="begin($event, 'end')" />
  </div>
</template>

<style scoped>
.clip {
  position: absolute;
  top: 3px;
  bottom: 3px;
  overflow: hidden;
  cursor: grab;
  border-radius: 2px;
  background: color-mix(in srgb, var(--petal) 18%, transparent);
  touch-action: none;
}
.clip.dragged {
  z-index: 3;
  cursor: grabbing;
}
.clip.chosen {
  z-index: 2;
  box-shadow: inset 0 0 0 1.5px var(--petal);
}
.clip.muted {
  opacity: 0.45;
}
.clip.missing {
  background: repeating-linear-gradient(45deg, transparent 0 6px, color-mix(in srgb, var(--bad) 25%, transparent) 6px 8px);
}
.name {
  position: absolute;
  top: 1px;
  left: 6px;
  font-size: 12px;
  font-weight: 600;
  white-space: nowrap;
  pointer-events: none;
  color: color-mix(in srgb, var(--petal) 72%, var(--ink));
}
.edge {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 6px;
  cursor: ew-resize;
  touch-action: none;
}
</style>
