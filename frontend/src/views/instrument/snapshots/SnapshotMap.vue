<script setup lang="ts">
/** The map: snapshots where they were put, and where between them one stands. */
import { useElementSize } from "@vueuse/core";
import { computed, ref, shallowRef, watch } from "vue";

import type { Snapshot } from "../../../api/types";
import { followPointer } from "../../../composables/pointer";
import { useLive } from "../../../stores/live";
import { type Place, useSnapshots } from "../../../stores/snapshots";

const NEAR_PX = 9;
const DRAG_PX = 4;
const TRAIL = 60;
const STEP = 0.02;
const HERE_PX = 8;

const snapshots = useSnapshots();
const live = useLive();
const outer = ref<HTMLElement>();
const box = ref<HTMLElement>();
const { width, height } = useElementSize(outer);
const side = computed(() => Math.max(0, Math.min(height.value || width.value, 560)));
/** What is dragged: a snapshot to another place, or oneself. */
const held = ref<{ id: string | null; at: Place; from: [number, number]; moved: boolean } | null>(null);
const trail = shallowRef<Place[]>([]);

const seen = computed(() => (live.state === "on" && live.borrowed === null ? live.look.map : null));
const here = computed<Place>(() => (held.value?.id === null ? held.value.at : (seen.value?.place ?? snapshots.place)));
const placeOf = (one: Snapshot): Place => (held.value?.id === one.id && held.value.moved ? held.value.at : (one.place as Place));
const x = (at: Place) => at[0] * side.value;
const y = (at: Place) => (1 - at[1]) * side.value;
/** At an edge the mark is seen whole. */
const inside = (px: number) => Math.min(side.value - HERE_PX - 1, Math.max(HERE_PX + 1, px));

watch(
  () => seen.value?.place.join(),
  () => {
    if (seen.value) trail.value = [...trail.value.slice(1 - TRAIL), seen.value.place];
  },
);

function at(event: PointerEvent): Place {
  const area = box.value!.getBoundingClientRect();
  const clip = (value: number) => Math.min(1, Math.max(0, value));
  const exact: Place = [clip((event.clientX - area.left) / area.width), clip(1 - (event.clientY - area.top) / area.height)];
  if (held.value?.id !== null && held.value) return exact;
  // on a snapshot is exactly on it
  const close = snapshots.placed.find((one) => Math.hypot(x(one.place!) - x(exact), y(one.place!) - y(exact)) < NEAR_PX);
  return close ? [...close.place!] : exact;
}

function down(event: PointerEvent, id: string | null): void {
  if (event.button !== 0) return;
  event.preventDefault();
  box.value!.focus({ preventScroll: true });
  followPointer(event, move, up, box.value!);
  held.value = { id, at: [0, 0], from: [event.clientX, event.clientY], moved: false };
  held.value.at = at(event);
  if (id === null) snapshots.stand(held.value.at);
}

function move(event: PointerEvent): void {
  const now = held.value;
  if (!now) return;
  now.moved ||= Math.hypot(event.clientX - now.from[0], event.clientY - now.from[1]) > DRAG_PX;
  if (!now.moved) return;
  now.at = at(event);
  if (now.id === null) snapshots.stand(now.at);
}

function up(cancelled: boolean): void {
  const now = held.value;
  held.value = null;
  if (!now) return;
  if (now.id === null) snapshots.rest();
  else if (cancelled) return;
  else if (now.moved) void snapshots.put(now.id, now.at);
  else snapshots.recall(now.id);
}

function key(event: KeyboardEvent): void {
  const by = { ArrowRight: [1, 0], ArrowLeft: [-1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key];
  if (!by || event.altKey || event.ctrlKey) return;
  event.preventDefault();
  event.stopPropagation();
  const far = event.shiftKey ? STEP / 10 : STEP;
  const clip = (value: number) => Math.min(1, Math.max(0, value));
  snapshots.stand([clip(snapshots.place[0] + far * by[0]!), clip(snapshots.place[1] + far * by[1]!)]);
}
</script>

<template>
  <div ref="outer" class="flex min-h-[18rem] flex-col" :style="{ width: `${side}px` }">
    <div
      ref="box"
      class="relative shrink-0 cursor-crosshair touch-none border border-hairline bg-sheet -outline-offset-2 select-none"
      :style="{ width: `${side}px`, height: `${side}px` }"
      role="application"
      tabindex="0"
      aria-label="Map of snapshots: drag, or arrow keys, to stand between them"
      data-testid="map"
      @pointerdown="down($event, null)"
      @keydown="key"
    >
      <svg class="pointer-events-none absolute inset-0" :width="side" :height="side" aria-hidden="true">
        <g stroke="var(--hairline)">
          <line v-for="n in 9" :key="`v${n}`" :x1="(n * side) / 10" :x2="(n * side) / 10" y1="0" :y2="n === 5 ? side : 6" />
          <line v-for="n in 9" :key="`h${n}`" :y1="(n * side) / 10" :y2="(n * side) / 10" x1="0" :x2="n === 5 ? side : 6" />
        </g>
        <line
          v-for="one in snapshots.placed"
          :key="one.id"
          :x1="x(here)"
          :y1="y(here)"
          :x2="x(placeOf(one))"
          :y2="y(placeOf(one))"
          stroke="var(--ink-soft)"
          stroke-linecap="round"
          :stroke-width="1 + 9 * (seen?.weights[one.id] ?? 0)"
          :opacity="0.15 + 0.35 * (seen?.weights[one.id] ?? 0)"
        />
        <polyline :points="trail.map((one) => `${x(one)},${y(one)}`).join(' ')" fill="none" stroke="var(--focus)" opacity="0.45" />
        <circle
          :cx="inside(x(here))"
          :cy="inside(y(here))"
          :r="HERE_PX"
          fill="var(--focus)"
          stroke="var(--sheet)"
          stroke-width="2"
          data-testid="here"
        />
      </svg>
      <button
        v-for="one in snapshots.placed"
        :key="one.id"
        class="absolute flex -translate-x-1/2 -translate-y-1/2 cursor-grab flex-col items-center"
        :style="{ left: `${x(placeOf(one))}px`, top: `${y(placeOf(one))}px` }"
        tabindex="-1"
        :title="`Click: recall ${one.name}. Drag: another place on the map.`"
        :data-on-map="one.name"
        @pointerdown.stop="down($event, one.id)"
      >
        <svg width="22" height="22" viewBox="0 0 22 22" aria-hidden="true">
          <path
            d="M11 2C18 7 18 15 11 20 4 15 4 7 11 2Z"
            :fill="snapshots.current === one.id ? 'var(--ink)' : 'var(--sheet)'"
            stroke="var(--ink)"
            stroke-width="1.3"
          />
        </svg>
        <span
          class="absolute max-w-32 truncate rounded-sm bg-sheet/85 px-1 font-serif text-base whitespace-nowrap"
          :class="placeOf(one)[1] < 0.1 ? 'bottom-full' : 'top-full'"
          >{{ one.name }}</span
        >
      </button>
      <p v-if="snapshots.placed.length < 2" class="pointer-events-none absolute inset-x-8 top-1/4 text-center text-soft">
        {{
          snapshots.all.length < 2
            ? "Set the instrument otherwise and take a second snapshot: with two on the map, one can stand between them."
            : "Put two snapshots on the map to stand between them."
        }}
      </p>
    </div>
  </div>
</template>
