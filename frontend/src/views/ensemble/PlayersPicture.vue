<script setup lang="ts">
/** Who plays where on the keys, and how loud: each player rises over its keys as high as it is set, and fills as it sounds. */
import { useElementSize } from "@vueuse/core";
import { computed, ref } from "vue";

import { number, type Parameter, type Player, word } from "../../api/types";
import { PETAL_MARKS } from "../../charts/petals";
import { spoken, toShare } from "../../controls/scale";
import { useEnsemble } from "../../stores/ensemble";
import { useLive } from "../../stores/live";
import { useProject } from "../../stores/project";
import { noteName } from "../../theme/words";
import { usePlayersDrag } from "./playersDrag";

const KEYS = 128;
const FOOT = 22;
const SLOPE = 5;
const REACH = 0.72;
const DARK = [1, 3, 6, 8, 10];

const ensemble = useEnsemble();
const live = useLive();
const project = useProject();
const outer = ref<HTMLElement>();
const { width, height } = useElementSize(outer);

const level = computed(() => project.catalogue.players.find(({ id }) => id === "level") as Parameter);
const row = computed(() => Math.max(1, height.value - FOOT) / Math.max(2, ensemble.players.length));
const x = (key: number) => (key / KEYS) * width.value;
const darkKeys = Array.from({ length: KEYS }, (_, key) => key).filter((key) => DARK.includes(key % 12));
const octaves = Array.from({ length: 11 }, (_, i) => 12 * i);

interface Shape {
  player: Player;
  index: number;
  left: number;
  right: number;
  base: number;
  top: number;
  filled: number;
  muted: boolean;
  gone: boolean;
  keys: number[];
  about: string;
}

const shapes = computed<Shape[]>(() =>
  ensemble.players.map((player, index) => {
    const base = (index + 1) * row.value - 4;
    const rise = (db: number) => base - toShare(level.value, Math.max(level.value.low, db)) * row.value * REACH;
    const seen = live.playsEnsemble ? live.look.players[player.id] : undefined;
    const peak = seen?.peak ?? 0;
    return {
      player,
      index,
      base,
      left: x(number(player.settings, "key_low")),
      right: x(number(player.settings, "key_high") + 1),
      top: rise(number(player.settings, "level")),
      filled: peak > 1e-3 ? rise(20 * Math.log10(peak)) : base,
      muted: word(player.settings, "mute") === "on",
      gone: ensemble.gone.includes(player.id),
      keys: seen?.keys ?? [],
      about: about(player),
    };
  }),
);

function about(player: Player): string {
  const s = player.settings;
  const shift = number(s, "transpose");
  const [soft, hard] = [number(s, "velocity_low"), number(s, "velocity_high")];
  return [
    word(s, "mute") === "on" ? "muted" : spoken(level.value, number(s, "level")),
    shift ? `${shift > 0 ? "+" : "\u2212"}${Math.abs(shift)} st` : "",
    soft > 0 || hard < 127 ? `velocity ${soft} to ${hard}` : "",
    number(s, "channel") ? `channel ${number(s, "channel")}` : "",
    word(player.phrase, "pattern") !== "off" ? word(player.phrase, "pattern") : "",
  ]
    .filter(Boolean)
    .join(", ");
}

const outline = (one: Shape) =>
  `M${one.left} ${one.base}L${one.left + SLOPE} ${one.top}L${one.right - SLOPE} ${one.top}L${one.right} ${one.base}`;

const { cursor, down, move, up } = usePlayersDrag(outer, { keys: KEYS, level, rise: () => row.value * REACH });
</script>

<template>
  <div ref="outer" class="relative border border-hairline bg-sheet select-none" data-testid="players">
    <svg
      class="absolute inset-0"
      :width="width"
      :height="height"
      role="img"
      aria-label="Players over the keys; each has rules beside the picture"
    >
      <line
        v-for="key in octaves"
        :key="key"
        :x1="x(key)"
        :x2="x(key)"
        y1="0"
        :y2="height - FOOT"
        stroke="var(--hairline)"
        :opacity="key ? 1 : 0"
      />
      <g
        v-for="one in shapes"
        :key="one.player.id"
        :style="{ cursor }"
        :data-player="one.player.name"
        @pointerdown="down(one, $event)"
        @pointermove="move(one, $event)"
        @pointerup="up(one)"
        @pointercancel="up(one)"
      >
        <clipPath :id="`fill-${one.player.id}`">
          <rect :x="0" :y="one.filled" :width="width" :height="Math.max(0, one.base - one.filled)" />
        </clipPath>
        <path :d="outline(one)" :fill="`var(--${one.player.petal})`" :fill-opacity="one.muted || one.gone ? 0.05 : 0.16" />
        <path
          v-if="!one.muted && !one.gone"
          :d="outline(one)"
          :fill="`var(--${one.player.petal})`"
          fill-opacity="0.45"
          :clip-path="`url(#fill-${one.player.id})`"
        />
        <line
          v-for="(key, i) in one.keys"
          :key="i"
          :x1="x(key + 0.5)"
          :x2="x(key + 0.5)"
          :y1="one.base"
          :y2="one.top"
          :stroke="`var(--${one.player.petal})`"
          stroke-width="3"
          stroke-linecap="round"
        />
        <path
          :d="outline(one)"
          fill="none"
          :stroke="`var(--${one.player.petal})`"
          :stroke-width="one.player.id === ensemble.chosenId ? 2.5 : 1.3"
          :stroke-dasharray="one.muted || one.gone ? '4 4' : undefined"
        />
        <path :d="outline(one)" fill="none" stroke="transparent" stroke-linejoin="round" stroke-width="14" pointer-events="stroke" />
        <line x1="0" :x2="width" :y1="one.base" :y2="one.base" stroke="var(--hairline)" pointer-events="none" />
      </g>
      <g :transform="`translate(0 ${height - FOOT})`">
        <rect v-for="key in darkKeys" :key="key" :x="x(key)" y="0" :width="x(1)" height="7" fill="var(--ink-soft)" opacity="0.5" />
        <line x1="0" :x2="width" y1="0.5" y2="0.5" stroke="var(--ink-soft)" />
        <text v-for="key in octaves" :key="`t${key}`" :x="x(key) + 3" y="18" class="fill-soft text-xs">{{ noteName(key) }}</text>
      </g>
    </svg>
    <button
      v-for="one in shapes"
      :key="one.player.id"
      class="absolute flex max-w-[60%] items-center gap-1.5 rounded-sm bg-sheet/85 px-1.5 text-left"
      :style="{ left: `${Math.min(one.left + 10, width - 220)}px`, top: `${one.base - 24}px` }"
      :aria-pressed="one.player.id === ensemble.chosenId"
      @click="ensemble.chosenId = one.player.id"
    >
      <svg width="13" height="13" viewBox="0 0 16 16" aria-hidden="true" class="shrink-0">
        <path :d="PETAL_MARKS[one.player.petal]" :fill="`var(--${one.player.petal})`" />
      </svg>
      <span class="truncate font-serif text-base">{{ one.player.name }}</span>
      <span class="shrink-0 text-xs whitespace-nowrap" :class="one.gone ? 'text-bad' : 'text-soft'">{{
        one.gone ? "its instrument is gone" : one.about
      }}</span>
    </button>
  </div>
</template>
