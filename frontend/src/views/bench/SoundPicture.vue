<script setup lang="ts">
/** Waveform over spectrogram on one time axis: zoom, scroll, listen, and drag a step's marks. */
import { computed, ref, shallowRef, watch } from "vue";

import type { PiecesFound, Pitch } from "../../api/types";
import { frequencyMarks, frequencyShare, timeMarks } from "../../charts/axes";
import { token } from "../../charts/peaks";
import { Painter, palette } from "../../charts/spectrumColours";
import { Tiles } from "../../charts/tiles";
import { useDrawing } from "../../composables/drawing";
import { useLight } from "../../theme/light";
import EdgeHandles from "./EdgeHandles.vue";
import type { Marks } from "./marks";
import PictureMarks from "./PictureMarks.vue";
import type { Settings } from "./PictureSettings.vue";
import RootLine from "./RootLine.vue";
import { usePictureHands, useScroll } from "./pictureHands";
import {
  type Area,
  drawOnsetStrength,
  drawPartials,
  drawPitch,
  drawSpectrum,
  drawWaveform,
  type Partials,
  type Shown,
  xOf,
} from "./picture";

const props = defineProps<{
  shown: Shown;
  settings: Settings;
  loudest: number;
  marks: Marks | null;
  pitch: Pitch | null;
  onsets: PiecesFound | null;
  splits: number[];
  piece: { start: number; end: number; kept: boolean } | null;
  heardAt: number | null;
  rootHz: number | null;
  partials?: Partials;
}>();
const emit = defineEmits<{
  view: [from: number, to: number];
  listen: [at: number];
  drag: [values: Record<string, number>];
  drop: [values: Record<string, number>];
  split: [at: number];
  root: [hz: number];
  nudge: [id: string, how: "ms" | "sample" | "zero", way: -1 | 1];
}>();

const canvas = ref<HTMLCanvasElement>();
const { light } = useLight();
const painter = new Painter();
const tiles = new Tiles(() => ask());
const colours = shallowRef<Uint32Array>(new Uint32Array(256));
const framesDrawn = ref(0);

const WAVE_SHARE = 0.44;
const AXIS = 20;
const GAP = 8;
const wave = computed<Area>(() => ({ top: 0, height: Math.max(40, (height.value - AXIS - GAP) * WAVE_SHARE), width: width.value }));
const spectrum = computed<Area>(() => ({
  top: wave.value.height + GAP,
  height: Math.max(40, height.value - AXIS - GAP - wave.value.height),
  width: width.value,
}));
const seconds = (frames: number) => frames / props.shown.rate;
const marksInView = computed(() => timeMarks(seconds(props.shown.from), seconds(props.shown.to), width.value / 90));
const hertz = computed(() => frequencyMarks(props.shown.rate, props.settings.axis));
/** Frequencies beside the spectrogram, as many as do not crowd. */
const hertzInView = computed(() => {
  let above = -Infinity;
  return hertz.value.toReversed().filter(({ at }) => {
    const y = yOf(at);
    const fits = y - above >= 15 && y <= spectrum.value.top + spectrum.value.height - 4;
    if (fits) above = y;
    return fits;
  });
});
const x = (at: number) => xOf(props.shown, width.value, at * props.shown.rate);
const yOf = (hz: number) => spectrum.value.top + spectrum.value.height * (1 - frequencyShare(hz, props.shown.rate, props.settings.axis));
function paint(pen: CanvasRenderingContext2D): void {
  pen.fillStyle = token("sheet");
  for (const area of [wave.value, spectrum.value]) pen.fillRect(0, area.top, area.width, area.height);
  clipped(pen, wave.value, () => drawWaveform(pen, tiles, props.shown, wave.value, token("wave-chosen"), props.loudest));
  clipped(pen, spectrum.value, () => {
    drawSpectrum(pen, tiles, painter, colours.value, props.settings.axis, props.shown, spectrum.value);
    if (props.pitch && props.settings.pitch) drawPitch(pen, props.pitch, props.shown, spectrum.value, props.settings.axis, token("madder"));
    if (props.partials)
      drawPartials(pen, props.partials, props.shown, spectrum.value, props.settings.axis, token("madder"), token("focus"));
    if (props.onsets) drawOnsetStrength(pen, props.onsets, props.shown, spectrum.value, token("ink"), token("focus"));
  });
  framesDrawn.value++;
}

function clipped(pen: CanvasRenderingContext2D, area: Area, work: () => void): void {
  pen.save();
  pen.beginPath();
  pen.rect(0, area.top, area.width, area.height);
  pen.clip();
  work();
  pen.restore();
}

/** Colours of the spectrogram, in the light that the page has taken on. */
function repaint(): void {
  const { low, high } = props.settings;
  colours.value = palette(low, high, token("sheet"), token("spectrum-middle"), token("ink"));
}

watch([light, () => props.settings.low, () => props.settings.high], repaint, { immediate: true, flush: "post" });
// shown, pitch and onsets are put in whole; settings change field by field
const settings = computed(() => ({ ...props.settings }));
const { width, height, ask } = useDrawing(canvas, paint, [
  () => props.shown,
  settings,
  () => props.pitch,
  () => props.onsets,
  () => props.partials,
  () => props.loudest,
  colours,
]);

const picture = { canvas, width, waveHeight: () => wave.value.height, shown: () => props.shown, marks: () => props.marks };
const view = (from: number, to: number) => emit("view", from, to);
const { wheel, key } = useScroll(picture, view);
const { down, grab, move, up, letGo, at } = usePictureHands(picture, {
  view,
  listen: (seconds) => emit("listen", seconds),
  drag: (values) => emit("drag", values),
  drop: (values) => emit("drop", values),
});
</script>

<template>
  <div
    class="relative touch-none select-none"
    role="application"
    tabindex="0"
    aria-label="Picture of the sound. Arrow keys scroll, plus and minus zoom, 0 shows all."
    data-testid="picture"
    data-letters="commands"
    :data-drawn="framesDrawn"
    @pointerdown="down"
    @pointermove="move"
    @pointerup="up"
    @pointercancel="letGo"
    @dblclick="emit('split', at($event))"
    @wheel="wheel"
    @keydown="key"
  >
    <div class="absolute inset-y-0 right-11 left-0">
      <canvas ref="canvas" class="absolute inset-0 h-full w-full" aria-hidden="true" />
      <div class="pointer-events-none absolute inset-0 overflow-hidden">
        <PictureMarks
          :marks="marks"
          :splits="splits"
          :piece="piece"
          :heard-at="heardAt"
          :shown="shown"
          :area="wave"
          :height="height - AXIS"
        />
        <span
          v-for="mark in marksInView"
          :key="mark.at"
          class="absolute bottom-0 -translate-x-1/2 text-xs whitespace-nowrap text-soft"
          :style="{ left: `${Math.min(width - 22, Math.max(22, x(mark.at)))}px` }"
          >{{ mark.word }}</span
        >
      </div>
      <RootLine
        v-if="rootHz && settings.pitch"
        :root-hz="rootHz"
        :rate="shown.rate"
        :axis="settings.axis"
        :area="spectrum"
        @root="emit('root', $event)"
      />
      <EdgeHandles
        v-if="marks"
        :marks="marks"
        :shown="shown"
        :area="wave"
        @grab="grab"
        @nudge="(id, how, way) => emit('nudge', id, how, way)"
      />
    </div>
    <span
      v-for="mark in hertzInView"
      :key="mark.at"
      class="pointer-events-none absolute right-0 w-10 text-left text-xs leading-4 whitespace-nowrap text-soft"
      :style="{ top: `${yOf(mark.at) - 8}px` }"
      ><i class="absolute top-2 -left-1 w-0.5 border-t border-soft" />{{ mark.word }}</span
    >
  </div>
</template>
