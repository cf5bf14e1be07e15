<script setup lang="ts">
/** What each sound passes on its way out: streams through stations, shared streams, and the whole. */
import { useElementSize } from "@vueuse/core";
import { computed, ref } from "vue";

import PetalMark from "../../../charts/PetalMark.vue";
import { number, word } from "../../../api/types";
import { useInstrument } from "../../../stores/instrument";
import { type Stream, useLiveMix, useMix } from "../../../stores/mix";
import { useProject } from "../../../stores/project";
import AddEffect from "./AddEffect.vue";
import { bend, dropAt, layOut, type Row, stationAt, WHOLE_CHAIN, widthAt } from "./layout";
import Station from "./Station.vue";
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
const past = (stream: Stream) => stream.layer !== null && word(stream.layer.settings, "effects") === "past";
/** In whole pixels, so that little movement repaints nothing. */
const thick = (row: Row) => Math.round(widthAt(seen.value?.streams[row.stream.id], row.height));
const level = (settings: object) => {
  const db = number(settings as Record<string, number>, "level");
  return db <= -60 ? "silent" : `${db < 0 ? "\u2212" : db > 0 ? "+" : ""}${Math.abs(db).toFixed(1)} dB`;
};

/** The stream's way after its chain: to a shared stream, to the whole, or past all effects. */
function wayOf(row: Row): string {
  const { chainEnd, label, whole: place, rows } = layout.value;
  const output = row.stream.layer?.output;
  const shared = rows.find(({ stream }) => stream.id === output);
  if (past(row.stream)) return bend(chainEnd, row.y, width.value, place.top + place.height + WHOLE_CHAIN - 6);
  if (shared)
    return `${bend(chainEnd, row.y, chainEnd + 40, (row.y + shared.y) / 2)} ${bend(chainEnd + 40, (row.y + shared.y) / 2, label, shared.y).replace("M", "L")}`;
  const share = (rows.indexOf(row) + 0.5) / rows.length;
  return bend(chainEnd, row.y, place.left, place.top + place.height * (0.1 + 0.8 * share));
}

interface Sent {
  id: string;
  x: number;
  from: Row;
  to: Row;
  db: number;
  words: string;
  order: number;
}
const sends = computed<Sent[]>(() => {
  const { rows, sendX } = layout.value;
  const count = new Map<string, number>();
  return rows.flatMap((from) =>
    (from.stream.layer?.sends ?? []).flatMap(({ id, to, settings }) => {
      const row = rows.find(({ stream }) => stream.id === to);
      const order = count.get(to) ?? 0;
      count.set(to, order + 1);
      return row ? [{ id, x: sendX.get(to)!, from, to: row, db: number(settings, "level"), words: level(settings), order }] : [];
    }),
  );
});

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
function carry(event: DragEvent, stream: Stream): void {
  event.dataTransfer?.setData("text/x-bloom-stream", stream.id);
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
        <button
          class="absolute left-0 flex items-center gap-1.5 rounded-sm pr-1 text-left leading-4"
          :class="chosenStream(row.stream.id) ? 'bg-sheet shadow-[inset_0_0_0_1px_var(--ink)]' : 'hover:bg-sheet'"
          :style="{ top: `${row.y - row.height / 2}px`, width: `${layout.label - 10}px`, height: `${row.height}px` }"
          :aria-pressed="chosenStream(row.stream.id)"
          :draggable="row.stream.layer !== null"
          :title="row.stream.layer ? 'Its level and where it goes; drag it onto a shared stream to send' : 'Its name and level'"
          @click="choose(row.stream.id)"
          @dragstart="carry($event, row.stream)"
        >
          <PetalMark v-if="row.stream.petal" class="ml-1 shrink-0" :petal="row.stream.petal" />
          <span class="min-w-0 flex-1" :class="{ 'pl-1': !row.stream.petal }">
            <span class="block truncate font-serif text-[15px]" :class="{ italic: row.stream.bus }">{{ row.stream.name }}</span>
            <span v-if="row.height > 30" class="block truncate text-xs text-soft">
              {{
                row.stream.layer
                  ? `${row.stream.layer.kind}, ${level(row.stream.layer.settings)}`
                  : `shared, ${level(row.stream.bus!.settings)}`
              }}
            </span>
          </span>
        </button>
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
          v-if="past(row.stream)"
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
