<script setup lang="ts">
/** Keys across, velocity upward: where each layer sounds, and which sound lies where in the chosen one. */
import { number, type Settings, word } from "../../api/types";
import { computed, ref } from "vue";

import { PETAL_MARKS } from "../../charts/petals";
import { followPointer } from "../../composables/pointer";
import { useInstrument } from "../../stores/instrument";
import { useLive } from "../../stores/live";
import { noteName } from "../../theme/words";

const instrument = useInstrument();
const live = useLive();
const W = 800;
const H = 96;
const KEYS = 128;
const EDGE = 1.4;

const svg = ref<SVGSVGElement>();
const x = (key: number) => (key / KEYS) * W;
const y = (velocity: number) => H - (velocity / KEYS) * H;

interface Box {
  keyLow: number;
  keyHigh: number;
  velocityLow: number;
  velocityHigh: number;
}

const boxOf = (s: Settings): Box => ({
  keyLow: number(s, "key_low"),
  keyHigh: number(s, "key_high"),
  velocityLow: number(s, "velocity_low"),
  velocityHigh: number(s, "velocity_high"),
});
const layers = computed(() =>
  (instrument.document?.layers ?? []).map((layer, index) => ({
    layer,
    index,
    box: boxOf(layer.settings),
    chosen: index === instrument.layerIndex,
  })),
);
const sounds = computed(() => {
  const layer = instrument.layer;
  if (!layer || word(layer.settings, "choose") !== "range" || !layer.picks.length) return [];
  return layer.picks.map((pick, i) => ({ name: layer.sounds[i]?.name ?? "", box: boxOf(pick) }));
});
const octaves = Array.from({ length: 11 }, (_, i) => 12 * i);
const pressed = computed(() => live.look.notes.map(([, pitch]) => pitch));
const rect = (box: Box) => ({
  x: x(box.keyLow),
  width: x(box.keyHigh + 1) - x(box.keyLow),
  y: y(box.velocityHigh + 1),
  height: y(box.velocityLow) - y(box.velocityHigh + 1),
});

type Side = "key_low" | "key_high" | "velocity_low" | "velocity_high";
const SIDES: Side[] = ["key_low", "key_high", "velocity_low", "velocity_high"];

function line(box: Box, side: Side) {
  const r = rect(box);
  const left = { x1: r.x, x2: r.x, y1: r.y, y2: r.y + r.height };
  if (side === "key_low") return left;
  if (side === "key_high") return { ...left, x1: r.x + r.width, x2: r.x + r.width };
  const at = side === "velocity_low" ? r.y + r.height : r.y;
  return { x1: r.x, x2: r.x + r.width, y1: at, y2: at };
}

function down(event: PointerEvent, index: number, side: Side): void {
  instrument.layerIndex = index;
  const { id, settings } = instrument.document!.layers[index]!;
  const before = number(settings, side);
  followPointer(
    event,
    (now) => move(now, id, side),
    (cancelled) => {
      if (cancelled) instrument.move(id, side, before);
      else instrument.settle(id, [side], "range");
    },
  );
}

function move(event: PointerEvent, id: string, side: Side): void {
  const s = instrument.document?.layers.find((one) => one.id === id)?.settings;
  if (!s || !svg.value) return;
  const area = svg.value.getBoundingClientRect();
  const across = side.startsWith("key");
  const share = across ? (event.clientX - area.left) / area.width : 1 - (event.clientY - area.top) / area.height;
  const raw = Math.min(127, Math.max(0, Math.round(share * KEYS - (side.endsWith("high") ? 1 : 0))));
  const other = number(s, side.endsWith("low") ? side.replace("low", "high") : side.replace("high", "low"));
  // an end never passes the other
  instrument.move(id, side, side.endsWith("low") ? Math.min(raw, other) : Math.max(raw, other));
}
</script>

<template>
  <div class="flex min-h-0 flex-col">
    <svg
      ref="svg"
      :viewBox="`0 0 ${W} ${H}`"
      preserveAspectRatio="none"
      class="min-h-0 w-full flex-1 touch-none border border-hairline bg-sheet"
      role="img"
      aria-label="Key and velocity ranges of the layers; each has rules under touch"
      data-testid="ranges"
    >
      <line
        v-for="key in octaves"
        :key="key"
        :x1="x(key)"
        :x2="x(key)"
        y1="0"
        :y2="H"
        class="stroke-hairline"
        vector-effect="non-scaling-stroke"
      />
      <g v-for="{ layer, index, box, chosen } in layers" :key="layer.id" :style="{ '--petal': `var(--${layer.petal})` }">
        <rect
          v-bind="rect(box)"
          class="fill-[color-mix(in_srgb,var(--petal)_16%,transparent)] stroke-[var(--petal)]"
          :stroke-width="chosen ? 2 : 1"
          vector-effect="non-scaling-stroke"
          @click="instrument.layerIndex = index"
        >
          <title>
            {{ layer.name }}: {{ noteName(box.keyLow) }} to {{ noteName(box.keyHigh) }}, velocity {{ box.velocityLow }} to
            {{ box.velocityHigh }}
          </title>
        </rect>
        <line
          v-for="side in SIDES"
          :key="side"
          v-bind="line(box, side)"
          stroke="transparent"
          stroke-width="12"
          vector-effect="non-scaling-stroke"
          :class="side.startsWith('key') ? 'cursor-ew-resize' : 'cursor-ns-resize'"
          @pointerdown="down($event, index, side)"
        />
      </g>
      <g v-if="instrument.layer" :style="{ '--petal': `var(--${instrument.layer.petal})` }">
        <rect
          v-for="(sound, i) in sounds"
          :key="i"
          v-bind="rect(sound.box)"
          class="pointer-events-none fill-none stroke-[var(--petal)]"
          stroke-dasharray="3 3"
          vector-effect="non-scaling-stroke"
        />
      </g>
      <rect
        v-for="(pitch, i) in pressed"
        :key="`n${i}`"
        :x="x(pitch)"
        :width="x(EDGE)"
        y="0"
        :height="H"
        class="pointer-events-none fill-ink opacity-40"
      />
    </svg>
    <div class="relative h-4 shrink-0 text-xs text-soft">
      <span v-for="key in octaves" :key="key" class="absolute" :style="{ left: `${(100 * key) / KEYS}%` }">{{ noteName(key) }}</span>
    </div>
    <ul class="flex shrink-0 flex-wrap gap-x-4 text-xs text-soft">
      <li v-for="{ layer } in layers" :key="layer.id" class="flex items-center gap-1">
        <svg width="9" height="9" viewBox="0 0 16 16" aria-hidden="true">
          <path :d="PETAL_MARKS[layer.petal]" :fill="`var(--${layer.petal})`" /></svg
        >{{ layer.name }}
      </li>
      <li v-if="sounds.length">dashed: sounds of {{ instrument.layer?.name }}</li>
      <li class="ml-auto">keys across, velocity upward</li>
    </ul>
  </div>
</template>
