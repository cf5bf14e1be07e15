<script setup lang="ts">
/** Every short segment of a cloud's sounds by what it sounds like; grains come from around the point. */
import { computed, ref, shallowRef, watch } from "vue";

import { api, wanted } from "../../api/client";
import type { components } from "../../api/schema";
import { type Layer, number, word } from "../../api/types";
import { token } from "../../charts/peaks";
import { useDrawing } from "../../composables/drawing";
import { useInstrument } from "../../stores/instrument";
import { useLive } from "../../stores/live";
import { useMovement } from "../../stores/movement";
import SpeakAs from "./SpeakAs.vue";

type Axis = components["schemas"]["Axis"];
const NO_AXIS: Axis = { what: "", low: 0, high: 1, low_words: "", high_words: "" };

const props = defineProps<{ layer: Layer; index: number }>();
const instrument = useInstrument();
const live = useLive();
const movement = useMovement();
const canvas = ref<HTMLCanvasElement>();
const points = shallowRef<number[][]>([]);
const axes = shallowRef<Axis[]>([]);
const hop = ref(0);
const seconds = shallowRef<number[]>([]);
const failed = ref(false);

watch(
  () => JSON.stringify(props.layer.sounds),
  async () => {
    failed.value = false;
    const found = await wanted(api.POST("/api/segments", { body: { sounds: props.layer.sounds } })).catch(() => null);
    failed.value = found === null;
    points.value = found?.points ?? [];
    axes.value = found?.axes ?? [];
    hop.value = found?.hop_s ?? 0;
    seconds.value = found?.seconds ?? [];
    clickWhileLoading();
  },
  { immediate: true },
);

/** Which of the descriptions lie across and up, with the part of each where there are segments. */
const chosen = computed(() =>
  ["across_is", "up_is"].map((id) =>
    Math.max(
      0,
      axes.value.findIndex(({ what }) => what === word(props.layer.settings, id)),
    ),
  ),
);
const columns = computed(() => chosen.value.map((at) => 2 + at));
const extents = computed(() => chosen.value.map((at) => axes.value[at] ?? NO_AXIS));
/** The ends of the axes in the units of the rules, and what that is in real ones. */
const percent = (share: number) => Math.round(100 * Math.min(1, Math.max(0, share)));
const ends = computed(() =>
  extents.value.map(({ low, high, low_words, high_words }) => ({
    low: `${percent(low)} %, ${low_words}`,
    high: `${percent(high)} %, ${high_words}`,
  })),
);
const share = (value: number, axis: 0 | 1) => (value - extents.value[axis]!.low) / (extents.value[axis]!.high - extents.value[axis]!.low);
const set = computed(() => ({ x: number(props.layer.settings, "across") / 100, y: number(props.layer.settings, "up") / 100 }));
const now = computed(() => ({
  x: (movement.now(props.layer.id, "across")?.value ?? 100 * set.value.x) / 100,
  y: (movement.now(props.layer.id, "up")?.value ?? 100 * set.value.y) / 100,
}));
function paint(pen: CanvasRenderingContext2D): void {
  const px = (x: number) => share(x, 0) * width.value;
  const py = (y: number) => (1 - share(y, 1)) * height.value;
  const [across, up] = columns.value as [number, number];
  const sounding = new Set(
    (live.look.layers[props.index]?.grains ?? []).map(([place, , , , sound]) => `${sound} ${cell(place * (seconds.value[sound] ?? 0))}`),
  );
  pen.fillStyle = getComputedStyle(canvas.value!).color;
  for (const point of points.value) {
    const heard = sounding.has(`${point[0]} ${cell(point[1]!)}`);
    pen.globalAlpha = heard ? 1 : 0.4;
    pen.beginPath();
    pen.arc(px(point[across]!), py(point[up]!), heard ? 3.5 : 2, 0, 7);
    pen.fill();
  }
  pen.globalAlpha = 1;
  const reach = number(props.layer.settings, "reach") / 100;
  pen.strokeStyle = token("ink");
  pen.beginPath();
  const unit = [
    width.value / (extents.value[0]!.high - extents.value[0]!.low),
    height.value / (extents.value[1]!.high - extents.value[1]!.low),
  ];
  pen.ellipse(px(now.value.x), py(now.value.y), Math.max(2, reach * unit[0]!), Math.max(2, reach * unit[1]!), 0, 0, 7);
  pen.stroke();
  pen.beginPath();
  pen.moveTo(px(set.value.x) - 6, py(set.value.y));
  pen.lineTo(px(set.value.x) + 6, py(set.value.y));
  pen.moveTo(px(set.value.x), py(set.value.y) - 6);
  pen.lineTo(px(set.value.x), py(set.value.y) + 6);
  pen.stroke();
}
/** The segment that a moment in seconds lies in. */
const cell = (at: number) => Math.floor(at / hop.value);

const { width, height } = useDrawing(canvas, paint, [
  points,
  columns,
  now,
  set,
  () => live.look.layers[props.index]?.grains,
  () => number(props.layer.settings, "reach"),
]);

let held = false;
/** Where the map was clicked before it was there, as shares of its width and height. */
let early: [x: number, y: number] | null = null;
function move(event: PointerEvent): void {
  if (!held) return;
  const box = canvas.value!.getBoundingClientRect();
  const at: [number, number] = [(event.clientX - box.left) / box.width, 1 - (event.clientY - box.top) / box.height];
  if (axes.value.length) toShares(...at);
  else early = at;
}
function clickWhileLoading(): void {
  if (!early || !axes.value.length) return;
  toShares(...early);
  early = null;
  if (!held) store();
}
function toShares(x: number, y: number): void {
  put(
    extents.value[0]!.low + x * (extents.value[0]!.high - extents.value[0]!.low),
    extents.value[1]!.low + y * (extents.value[1]!.high - extents.value[1]!.low),
  );
}
function put(x: number, y: number): void {
  const finely = (value: number) => Math.round(1e3 * Math.min(100, Math.max(0, 100 * value))) / 1e3;
  instrument.move(props.layer.id, "across", finely(x));
  instrument.move(props.layer.id, "up", finely(y));
}
function down(event: PointerEvent): void {
  canvas.value!.setPointerCapture(event.pointerId);
  held = true;
  move(event);
}
function rest(): void {
  if (!held) return;
  held = false;
  if (axes.value.length) store();
}
const store = () => instrument.settle(props.layer.id, ["across", "up"], "point on the map");
function nudge(event: KeyboardEvent): void {
  const by = ({ ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] } as Record<string, [number, number]>)[
    event.key
  ];
  if (!by) return;
  event.preventDefault();
  event.stopPropagation();
  put(set.value.x + 0.01 * by[0], set.value.y + 0.01 * by[1]);
  store();
}
</script>

<template>
  <figure class="mb-2" data-testid="segments">
    <div class="relative h-48 border border-hairline bg-sheet text-[var(--petal)]">
      <canvas
        ref="canvas"
        class="absolute inset-0 h-full w-full cursor-crosshair touch-none"
        role="application"
        tabindex="0"
        :aria-label="`Map of ${points.length} segments: ${extents[0]?.what} across, ${extents[1]?.what} up. Arrow keys move the point.`"
        title="Drag the point; grains come from the segments within the ring"
        @pointerdown="down"
        @pointermove="move"
        @pointerup="rest"
        @pointercancel="rest"
        @keydown="nudge"
      />
      <span v-if="!points.length" class="absolute inset-0 grid place-items-center text-soft">{{
        failed ? "these sounds cannot be read" : "listening to every segment"
      }}</span>
      <template v-else>
        <span class="pointer-events-none absolute bottom-0.5 left-1 text-xs text-soft">{{ ends[0]!.low }}</span>
        <span class="pointer-events-none absolute right-1 bottom-0.5 text-xs text-soft">{{ extents[0]!.what }} {{ ends[0]!.high }}</span>
        <span class="pointer-events-none absolute top-0.5 left-1 text-xs text-soft">{{ extents[1]!.what }} {{ ends[1]!.high }}</span>
        <span class="pointer-events-none absolute bottom-4 left-1 text-xs text-soft">{{ ends[1]!.low }}</span>
      </template>
    </div>
    <SpeakAs :layer="layer" :index="index" />
  </figure>
</template>
