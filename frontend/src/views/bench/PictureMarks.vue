<script setup lang="ts">
/** What lies over the waveform: the region that is kept or worked on, its fades, splits, the playhead. */
import type { Marks } from "./marks";
import { type Area, type Shown, xOf } from "./picture";

const props = defineProps<{
  marks: Marks | null;
  splits: number[];
  piece: { start: number; end: number; kept: boolean } | null;
  heardAt: number | null;
  shown: Shown;
  /** Where the waveform is, and how far down the playhead goes. */
  area: Area;
  height: number;
}>();
const x = (at: number) => xOf(props.shown, props.area.width, at * props.shown.rate);
const inView = (at: number) => x(at) >= -1 && x(at) <= props.area.width + 1;
</script>

<template>
  <template v-if="marks && marks.edges.length === 2">
    <template v-if="marks.keeps">
      <i
        class="absolute left-0 bg-[color-mix(in_srgb,var(--paper)_78%,transparent)]"
        :style="{ top: 0, height: `${area.height}px`, width: `${Math.max(0, x(marks.edges[0]!.at))}px` }"
      />
      <i
        class="absolute right-0 bg-[color-mix(in_srgb,var(--paper)_78%,transparent)]"
        :style="{ top: 0, height: `${area.height}px`, left: `${Math.max(0, x(marks.edges[1]!.at))}px` }"
      />
    </template>
    <i
      v-else
      class="absolute"
      :style="{
        top: 0,
        height: `${area.height}px`,
        left: `${x(marks.edges[0]!.at)}px`,
        width: `${Math.max(0, x(marks.edges[1]!.at) - x(marks.edges[0]!.at))}px`,
        background: `color-mix(in srgb, var(--${marks.colour}) 16%, transparent)`,
      }"
    />
    <svg class="absolute inset-0 h-full w-full" aria-hidden="true">
      <polygon
        v-if="marks.fadeIn"
        :points="`${x(marks.edges[0]!.at)},0 ${x(marks.edges[0]!.at)},${area.height} ${x(marks.edges[0]!.at + marks.fadeIn)},0`"
        :fill="`var(--${marks.colour})`"
        opacity="0.28"
      />
      <polygon
        v-if="marks.fadeOut"
        :points="`${x(marks.edges[1]!.at)},0 ${x(marks.edges[1]!.at)},${area.height} ${x(marks.edges[1]!.at - marks.fadeOut)},0`"
        :fill="`var(--${marks.colour})`"
        opacity="0.28"
      />
    </svg>
  </template>
  <template v-for="(at, i) in splits" :key="`s${i}`">
    <i
      v-if="inView(at)"
      class="absolute top-0 w-px bg-[var(--madder)]"
      :style="{ left: `${x(at)}px`, height: `${area.height}px`, opacity: splits.length > 60 ? 0.35 : 0.8 }"
    />
  </template>
  <i
    v-if="piece"
    class="absolute top-0 bg-[color-mix(in_srgb,var(--focus)_18%,transparent)]"
    :style="{ left: `${x(piece.start)}px`, width: `${Math.max(1, x(piece.end) - x(piece.start))}px`, height: `${area.height}px` }"
  />
  <i
    v-if="heardAt !== null && inView(heardAt)"
    class="absolute top-0 w-0.5 bg-[var(--madder)]"
    :style="{ left: `${x(heardAt)}px`, height: `${height}px` }"
    data-testid="head"
  />
</template>
