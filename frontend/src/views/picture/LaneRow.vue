<script setup lang="ts">
/** A lane: its name, level and loudness, and its clips. */
import { computed } from "vue";

import type { TimelineLane } from "../../api/types";
import EditableName from "../../controls/EditableName.vue";
import TypedInPlace from "../../controls/TypedInPlace.vue";
import { useTimeline } from "../../stores/timeline";
import { decibels } from "../../theme/words";
import ClipBox from "./ClipBox.vue";
import { laneColour } from "./laneColour";

const props = defineProps<{ lane: TimelineLane; index: number; width: number; lanePx: number }>();
const emit = defineEmits<{ place: [lane: string] }>();
const timeline = useTimeline();

const colour = computed(() => laneColour(props.index));
const path = computed(() => `/lanes/${props.index}`);
const told = computed(() => timeline.told?.measure?.lanes.find(({ id }) => id === props.lane.id) ?? null);
const loudness = computed(() => {
  if (!props.lane.clips.length) return "empty";
  if (props.lane.muted) return "muted";
  return told.value?.loudness == null ? "" : `${decibels(told.value.loudness + timeline.raised)} LUFS`;
});
const set = (label: string, field: string, value: unknown) =>
  void timeline.edit(label, [{ op: "replace", path: `${path.value}/${field}`, value }]);
const [LOWEST_DB, HIGHEST_DB] = [-60, 24];
const level = (db: number) => set("Level of a lane", "gain", Math.max(LOWEST_DB, Math.min(HIGHEST_DB, db)));
const louder = (by: number) => level(props.lane.gain + by);

function typed(text: string): void {
  const db = Number(
    text
      .replace("\u2212", "-")
      .replace(",", ".")
      .replace(/\s*dB$/i, ""),
  );
  if (Number.isFinite(db) && text) level(db);
}

const KEYS: Record<string, () => unknown> = {
  ArrowUp: () => timeline.act({ do: "move lane", lane: props.lane.id, to: Math.max(0, props.index - 1) }),
  ArrowDown: () => timeline.act({ do: "move lane", lane: props.lane.id, to: props.index + 1 }),
};
function key(event: KeyboardEvent): void {
  if (!event.altKey || !KEYS[event.key]) return;
  event.preventDefault();
  event.stopPropagation();
  void KEYS[event.key]!();
}
</script>

<template>
  <div class="flex border-b border-hairline" role="group" :aria-label="`Lane ${lane.name}`" :data-lane="lane.id" @keydown="key">
    <div class="lane-head" :style="{ height: `${lanePx}px` }">
      <span class="flex min-w-0 font-serif text-base leading-tight">
        <EditableName :name="lane.name" what="lane" @rename="set('Rename a lane', 'name', $event)" />
      </span>
      <span class="flex items-center text-xs text-soft">
        <span class="min-w-0 flex-1 truncate" title="Loudness as it is handed over">{{ loudness }}</span>
        <span
          @keydown.up.stop.prevent="louder(1)"
          @keydown.down.stop.prevent="louder(-1)"
          @wheel.prevent="louder($event.deltaY < 0 ? 0.5 : -0.5)"
        >
          <TypedInPlace
            :shown="`${decibels(lane.gain)} dB`"
            :start="String(lane.gain)"
            :label="`Level of ${lane.name}`"
            help="Level of the lane: type it, or arrows up and down, or the wheel"
            entry-class="w-14"
            @typed="typed"
          />
        </span>
      </span>
      <span class="-ml-[3px] flex gap-1 text-xs">
        <button class="tiny" :aria-pressed="lane.muted" :class="{ on: lane.muted }" @click="set('Mute', 'muted', !lane.muted)">mute</button>
        <button class="tiny" :aria-pressed="lane.solo" :class="{ on: lane.solo }" @click="set('Solo', 'solo', !lane.solo)">solo</button>
        <button
          class="tiny"
          :aria-label="`Place a sound on ${lane.name}`"
          title="Place a sound here, at the playhead"
          @click="emit('place', lane.id)"
        >
          place
        </button>
        <button
          class="tiny"
          :aria-label="`Remove lane ${lane.name}`"
          title="Remove this lane"
          @click="timeline.act({ do: 'remove lane', lane: lane.id })"
        >
          ×
        </button>
      </span>
    </div>
    <div class="relative" :style="{ width: `${width}px` }">
      <ClipBox
        v-for="one in lane.clips"
        :key="one.id"
        :clip="one"
        :lane="index"
        :colour="colour"
        :lane-px="lanePx + 1"
        :muted="lane.muted"
      />
    </div>
  </div>
</template>

<style scoped>
.lane-head {
  position: sticky;
  left: 0;
  z-index: 4;
  display: flex;
  width: 128px;
  flex: none;
  flex-direction: column;
  justify-content: center;
  padding-right: 6px;
  background: var(--paper);
}
.tiny {
  padding: 0 3px;
  border-radius: 3px;
  color: var(--ink-soft);
}
.tiny:hover {
  color: var(--ink);
  background: var(--key-shade);
}
.tiny.on {
  background: var(--ink);
  color: var(--paper);
}
</style>
