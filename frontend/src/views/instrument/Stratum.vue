<script setup lang="ts">
/** One layer on the picture: its sound, where it is read, and what sounds there now. */
import { useElementSize, useLocalStorage } from "@vueuse/core";
import { computed, ref } from "vue";

import { type Layer, number, type RecordingLine } from "../../api/types";
import { token } from "../../charts/peaks";
import SpectrumStrip from "../../charts/SpectrumStrip.vue";
import Waveform from "../../charts/Waveform.vue";
import { useDrawing } from "../../composables/drawing";
import { useMovement } from "../../stores/movement";
import { useLive } from "../../stores/live";
import { useProject } from "../../stores/project";
import LayerHeading from "./LayerHeading.vue";
import { viewOf } from "./layerViews";
import LitRoutes from "./LitRoutes.vue";
import { isPlaced, useReadingDrag } from "./readingDrag";
import { useSoundLanes } from "./soundLanes";
import WavePicture from "./WavePicture.vue";

const props = defineProps<{ layer: Layer; index: number; count: number; chosen: boolean; recording?: RecordingLine }>();
defineEmits<{ choose: [] }>();
const movement = useMovement();
const live = useLive();
const project = useProject();

const picture = ref<HTMLElement>();
const canvas = ref<HTMLCanvasElement>();
const { width, height } = useElementSize(picture);

const { shown, sound, stretch, lanes, laneOf, whole, ticks } = useSoundLanes(
  () => props.layer,
  () => props.chosen,
);
const kind = computed(() => project.catalogue.layer_kinds.find(({ id }) => id === props.layer.kind));
const view = computed(() => viewOf(props.layer.kind));
const s = computed(() => props.layer.settings);
const own = computed(() => view.value.picture?.(s.value) ?? (sound.value?.recording ? null : WavePicture));
/** Whether it reads a sound from somewhere that can be moved. */
const reads = computed(() => Boolean(kind.value?.handle));
/** How the large picture is read. */
const asSpectrum = useLocalStorage("bloom-layer-spectrum", false);
const handle = computed(() => kind.value?.handle ?? "position");
const position = computed(() => number(s.value, handle.value));
const placed = computed(() => isPlaced(props.layer));
const band = computed(() => view.value.stretch?.(s.value, stretch.value.seconds) ?? null);
const lit = computed(() => movement.litInto(props.layer.id).length > 0);
const silent = computed(() => s.value.mute === "on");
const { down, move, up } = useReadingDrag(
  picture,
  () => props.layer,
  () => ({ handle: reads.value ? handle.value : null, band: band.value, seconds: stretch.value.seconds }),
);

/** Grains as dots, high for left and low for right; read-heads as lines. */
function paint(pen: CanvasRenderingContext2D): void {
  const look = live.look.layers[props.index];
  if (!look) return;
  const newest = look.heads[look.heads.length - 1];
  if (newest && props.layer.sounds.length > 1) shown.value = newest[1];
  pen.fillStyle = token("ink");
  for (const [at, age, pan, level, which] of look.grains) {
    const lane = laneOf(which);
    if (!lane) continue;
    pen.globalAlpha = Math.max(0.08, Math.sin(Math.PI * age) * Math.min(1, 0.25 + level));
    pen.beginPath();
    pen.arc(at * width.value, height.value * (lane.top + lane.share * (0.5 + 0.4 * pan)), props.chosen ? 3.2 : 2, 0, 7);
    pen.fill();
  }
  if (!view.value.heads) return;
  for (const [at, which, level] of look.heads) {
    const lane = reads.value ? laneOf(which) : whole;
    if (!lane) continue;
    pen.globalAlpha = 0.2 + 0.7 * Math.min(1, level);
    pen.fillRect(at * width.value - 0.5, lane.top * height.value, 1, lane.share * height.value);
  }
}

// a look that shows nothing is told apart from the one before it by its own array only
const stirring = computed(() => {
  const look = live.look.layers[props.index];
  return look && (look.grains.length || look.heads.length) ? look : null;
});
useDrawing(canvas, paint, [stirring, () => props.chosen, lanes]);
</script>

<template>
  <article
    class="flex border-l-4 pr-2 pl-3"
    :class="chosen ? 'min-h-32 flex-1 bg-sheet py-2' : 'h-[58px] shrink-0 border-transparent py-1'"
    :style="{
      borderColor: chosen || lit ? `var(--${layer.petal})` : undefined,
      boxShadow: lit ? `inset 0 0 0 1px var(--${layer.petal})` : undefined,
      '--petal': `var(--${layer.petal})`,
    }"
    :aria-current="chosen"
    data-testid="layer"
    @click="$emit('choose')"
  >
    <LayerHeading :layer="layer" :index="index" :count="count" :chosen="chosen" :lost="reads && !recording" @choose="$emit('choose')" />
    <div class="flex min-w-0 flex-1 flex-col" :class="{ 'opacity-40': silent }">
      <div
        ref="picture"
        class="relative min-h-0 flex-1 touch-none overflow-hidden"
        :class="reads ? 'cursor-col-resize' : ''"
        data-testid="stratum"
        :title="reads ? `Drag to move the ${handle}${band?.ends ? ' or the ends of the loop' : ''}` : undefined"
        @pointerdown="down"
        @pointermove="move"
        @pointerup="up"
        @pointercancel="up"
      >
        <component :is="own" v-if="own" :layer="layer" :index="index" :chosen="chosen" />
        <template v-else>
          <div
            v-for="lane in lanes"
            :key="lane.i"
            class="absolute inset-x-0"
            :class="{ 'border-t border-hairline': lane.top > 0 }"
            :style="{ top: `${100 * lane.top}%`, height: `${100 * lane.share}%` }"
          >
            <SpectrumStrip
              v-if="asSpectrum && chosen && lane.recording"
              :digest="lane.digest"
              :frames="Math.round(lane.recording.duration_s * lane.recording.rate)"
              :rate="lane.recording.rate"
              :from="lane.from"
              :to="lane.to"
            />
            <Waveform v-else :digest="lane.digest" :colour="layer.petal" :alpha="0.45" :start="lane.from" :end="lane.to" />
            <span v-if="lanes.length > 1" class="over-picture absolute right-1 bottom-0.5 max-w-48 truncate font-serif">{{
              lane.name
            }}</span>
          </div>
        </template>
        <template v-if="reads && chosen">
          <i
            v-if="band"
            class="absolute inset-y-0 bg-[color-mix(in_srgb,var(--petal)_18%,transparent)]"
            :class="band.ends ? 'border-x border-[var(--petal)]' : ''"
            :style="{ left: `${band.left}%`, width: `max(1px, ${band.right - band.left}%)` }"
          />
          <i
            v-if="placed"
            class="absolute top-0 size-0 -translate-x-1/2 border-x-[6px] border-t-[8px] border-x-transparent border-t-ink"
            :style="{ left: `${position}%` }"
          />
          <i v-if="placed" class="absolute inset-y-0 w-px bg-ink" :style="{ left: `${position}%` }" />
        </template>
        <LitRoutes :layer="layer" :reads="reads" :chosen="chosen" />
        <canvas
          ref="canvas"
          class="pointer-events-none absolute inset-0 h-full w-full"
          role="img"
          :aria-label="`What sounds of ${layer.name}`"
        />
        <template v-if="chosen && live.look.layers[index]?.grains.length">
          <span class="pointer-events-none absolute top-1 left-1 text-xs text-soft">left</span>
          <span class="pointer-events-none absolute bottom-1 left-1 text-xs text-soft">right</span>
        </template>
      </div>
      <div v-if="chosen && reads" class="relative h-5 border-t border-hairline text-xs text-soft">
        <span
          v-for="tick in ticks"
          :key="tick.share"
          class="absolute top-0 border-l border-soft pl-1"
          :style="{ left: `${100 * tick.share}%` }"
          >{{ tick.word }}</span
        >
        <button
          v-if="!own"
          class="absolute right-0 bg-sheet pl-2 text-focus hover:underline"
          :aria-pressed="asSpectrum"
          title="Read the picture as waveform or as spectrogram"
          @click.stop="asSpectrum = !asSpectrum"
        >
          {{ asSpectrum ? "as waveform" : "as spectrogram" }}
        </button>
      </div>
    </div>
  </article>
</template>
