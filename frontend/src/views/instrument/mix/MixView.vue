<script setup lang="ts">
/** What each sound passes on its way out: streams through stations, shared streams, and the whole. */
import { useElementSize } from "@vueuse/core";
import { computed, ref } from "vue";

import { useInstrument } from "../../../stores/instrument";
import { type Stream, useLiveMix, useMix } from "../../../stores/mix";
import { useProject } from "../../../stores/project";
import AddEffect from "./AddEffect.vue";
import { dropAt, layOut, type Row, stationAt, WHOLE_CHAIN, widthAt } from "./layout";
import Station from "./Station.vue";
import StreamName from "./StreamName.vue";
import { isPast, useStreamWays } from "./streamWays";
import WholePicture from "./WholePicture.vue";

const instrument = useInstrument();
const mix = useMix();
const project = useProject();
useLiveMix();

const box = ref<HTMLElement>();
const { width, height } = useElementSize(box);
const layout = computed(() => layOut(mix.streams, width.value, height.value));
const whole = computed(() => mix.streams.at(-1)!);
const seen = computed(() => mix.seen);

const colourOf = (stream: Stream) => (stream.petal ? `var(--${stream.petal})` : "var(--ink-soft)");
/** In whole pixels, so that little movement repaints nothing. */
const thick = (row: Row) => Math.round(widthAt(seen.value?.streams[row.stream.id], row.height));

const { wayOf, sends } = useStreamWays(layout, width);

const over = ref<string | null>(null);
function allow(event: DragEvent, stream: string): void {
  const kinds = event.dataTransfer?.types ?? [];
  if (!kinds.includes("text/x-bloom-effect") && !kinds.includes("text/x-bloom-stream")) return;
  event.preventDefault();
  over.value = stream;
}
function drop(event: DragEvent, stream: Stream): void {
  over.value = null;
  const effect = event.dataTransfer?.getData("text/x-bloom-effect");
  const layer = event.dataTransfer?.getData("text/x-bloom-stream");
  if (layer && stream.bus) void instrument.mix({ do: "send", layer, bus: stream.id });
  if (!effect) return;
  const x = event.clientX - box.value!.getBoundingClientRect().left;
  const others = stream.effects.filter(({ id }) => id !== effect).length;
  void mix.move(effect, stream.id, stream.id === whole.value.id ? others : dropAt(layout.value, x, others));
}
const chosenStream = (id: string) => mix.chosen?.what === "stream" && mix.chosen.id === id;
const choose = (id: string) => (mix.chosen = { what: "stream", id });
const px = (place: { left: number; top: number; width: number; height: number }) =>
  Object.fromEntries(Object.entries(place).map(([key, value]) => [key, `${value}px`]));
const loud = (lufs: number) => (lufs <= -70 ? "silent" : `${lufs.toFixed(1).replace("-", "\u2212")} LUFS`);
</script>

<template>
  <div class="flex min-h-0 flex-1 flex-col">
    <div ref="box" class="relative min-h-0 flex-1" @keydown.esc="mix.chosen = null">
      <svg class="absolute inset-0 h-full w-full" aria-hidden="true">
        <g v-for="row in layout.rows" :key="row.stream.id" :stroke="colourOf(row.stream)" fill="none">
          <path
            :d="`M${layout.label},${row.y} H${layout.chainEnd} ${wayOf(row).replace('M', 'L')}`"
            :stroke-width="thick(row)"
            stroke-opacity="0.38"
          />
        </g>
        <g v-for="one in sends" :key="one.id" :stroke="colourOf(one.from.stream)">
          <line
            :x1="one.x + 2 * one.order"
            :x2="one.x + 2 * one.order"
            :y1="one.from.y"
            :y2="one.to.y"
            :stroke-width="Math.max(1, widthAt(one.db, 10))"
            stroke-opacity="0.8"
          />
          <circle :cx="one.x + 2 * one.order" :cy="one.from.y" r="4" fill="var(--sheet)" stroke-width="1.5" />
        </g>
      </svg>
      <template v-for="row in layout.rows" :key="row.stream.id">
        <div
          class="absolute left-0 rounded-sm"
          :class="{ 'drop-here': over === row.stream.id }"
          :style="{ top: `${row.y - row.height / 2 - 3}px`, width: `${layout.chainEnd}px`, height: `${row.height + 6}px` }"
          @dragover="allow($event, row.stream.id)"
          @dragleave="over = null"
          @drop.prevent="drop($event, row.stream)"
        />
        <StreamName
          class="absolute left-0"
          :style="{ top: `${row.y - row.height / 2}px`, width: `${layout.label - 10}px`, height: `${row.height}px` }"
          :stream="row.stream"
          :chosen="chosenStream(row.stream.id)"
          :tall="row.height > 30"
          @choose="choose(row.stream.id)"
        />
        <div v-for="(effect, i) in row.stream.effects" :key="effect.id" class="absolute" :style="px(stationAt(layout, row, i))">
          <Station
            v-bind="{ effect, at: i, chain: row.stream.id, count: row.stream.effects.length }"
            :colour="colourOf(row.stream)"
            :narrow="layout.station < 40 || row.height < 34"
          />
        </div>
        <div class="absolute" :style="{ left: `${stationAt(layout, row, row.stream.effects.length).left - 4}px`, top: `${row.y - 13}px` }">
          <AddEffect
            v-if="row.stream.effects.length < 16"
            :chain="row.stream.id"
            button-class="quiet bg-paper/80 text-focus !px-1.5 !py-0.5"
            :label="`Add an effect to ${row.stream.name}`"
          />
        </div>
        <span
          v-if="isPast(row.stream)"
          class="pointer-events-none absolute truncate text-xs text-soft"
          :style="{ left: `${layout.label + 34}px`, top: `${row.y + 9}px` }"
          >past all shared effects: it stays clean</span
        >
      </template>
      <span
        v-for="one in sends"
        :key="one.id"
        class="pointer-events-none absolute rounded-sm bg-paper/85 px-0.5 text-xs font-medium"
        :style="{
          left: `${one.x + 8}px`,
          top: `${one.to.y - one.to.height / 2 - 18 - 15 * one.order}px`,
          color: `color-mix(in srgb, ${colourOf(one.from.stream)} 70%, var(--ink))`,
        }"
        >{{ one.words }}</span
      >
      <button
        class="absolute flex items-baseline gap-3 rounded-sm px-1 text-left"
        :class="chosenStream(whole.id) ? 'bg-sheet shadow-[inset_0_0_0_1px_var(--ink)]' : 'hover:bg-sheet'"
        :style="{ left: `${layout.whole.left}px`, top: `${layout.whole.top - 32}px`, width: `${layout.whole.width}px` }"
        :aria-pressed="chosenStream(whole.id)"
        title="Its level, ceiling and meters"
        @click="choose(whole.id)"
      >
        <span class="font-serif text-lg">The whole</span>
        <span class="ml-auto text-soft">{{ seen ? loud(seen.meters.short_term) : "" }}</span>
      </button>
      <div class="absolute" :style="px(layout.whole)"><WholePicture /></div>
      <div
        class="absolute flex items-center gap-1.5 rounded-sm"
        :class="{ 'drop-here': over === whole.id }"
        :style="{
          left: `${layout.whole.left}px`,
          top: `${layout.whole.top + layout.whole.height + 6}px`,
          width: `${layout.whole.width}px`,
          height: `${WHOLE_CHAIN - 6}px`,
        }"
        @dragover="allow($event, whole.id)"
        @dragleave="over = null"
        @drop.prevent="drop($event, whole)"
      >
        <div v-for="(effect, i) in whole.effects" :key="effect.id" class="h-full max-w-[84px] min-w-0 flex-1">
          <Station
            v-bind="{ effect, at: i, chain: whole.id, count: whole.effects.length }"
            colour="var(--ink)"
            :narrow="whole.effects.length > 4"
          />
        </div>
        <AddEffect :chain="whole.id" label="Add an effect to the whole" :word="whole.effects.length ? '+' : 'Add an effect to the whole'" />
      </div>
    </div>
    <div class="mt-2 flex items-center gap-3 border-t border-hairline pt-1.5">
      <button
        class="quiet -ml-2 text-focus"
        :disabled="(instrument.document?.buses.length ?? 0) >= project.catalogue.most_buses"
        title="A stream that several layers can send to, with effects of its own"
        @click="instrument.mix({ do: 'add bus', name: `Shared ${(instrument.document?.buses.length ?? 0) + 1}` })"
      >
        + Shared stream
      </button>
      <span class="min-w-0 truncate font-serif text-soft italic"
        >drag a stream's name onto a shared one to send; drag an effect along or across to move it</span
      >
    </div>
  </div>
</template>
