<script setup lang="ts">
/** One layer on the picture: its sound, where it is read, and what sounds there now. */
import { useElementSize, useLocalStorage } from "@vueuse/core";
import { computed, ref } from "vue";

import { type Layer, number, type RecordingLine, type Sound, word } from "../../api/types";
import { token } from "../../charts/peaks";
import SpectrumStrip from "../../charts/SpectrumStrip.vue";
import Waveform from "../../charts/Waveform.vue";
import { useDrawing } from "../../composables/drawing";
import { useInstrument } from "../../stores/instrument";
import { useMovement } from "../../stores/movement";
import { useLive } from "../../stores/live";
import { useProject } from "../../stores/project";
import { useShelf } from "../../stores/shelf";
import LayerHeading from "./LayerHeading.vue";
import { viewOf } from "./layerViews";
import WavePicture from "./WavePicture.vue";

const props = defineProps<{ layer: Layer; index: number; count: number; chosen: boolean; recording?: RecordingLine }>();
defineEmits<{ choose: [] }>();
const instrument = useInstrument();
const movement = useMovement();
const live = useLive();
const project = useProject();
const shelf = useShelf();

const picture = ref<HTMLElement>();
const canvas = ref<HTMLCanvasElement>();
const { width, height } = useElementSize(picture);

/** The sound drawn: the one that plays, where a layer has several. */
const shownSound = ref(0);
const sound = computed(() => props.layer.sounds[shownSound.value] ?? props.layer.sounds[0]);
const kind = computed(() => project.catalogue.layer_kinds.find(({ id }) => id === props.layer.kind));
const view = computed(() => viewOf(props.layer.kind));
const own = computed(() => view.value.picture?.(s.value) ?? (sound.value?.recording ? null : WavePicture));
/** Whether it reads a sound from somewhere that can be moved. */
const reads = computed(() => Boolean(kind.value?.handle));
/** The stretch of a sound that the engine has, in seconds. */
function stretchOf(one: Sound | undefined): { start: number; seconds: number | null } {
  const whole = shelf.byDigest.get(one?.recording ?? "")?.duration_s ?? null;
  const start = one?.start ?? 0;
  const rest = whole === null ? null : Math.min(project.catalogue.longest_stretch_s, whole - start);
  return { start, seconds: one?.length ?? rest };
}
const stretch = computed(() => stretchOf(sound.value));
const MOST_LANES = 4;
/** The sounds that are drawn: all of them one under another, if there is room, else the one that plays. */
const lanes = computed(() => {
  const { sounds } = props.layer;
  const all = props.chosen && sounds.length > 1 && sounds.length <= MOST_LANES;
  const drawn = all ? sounds.map((one, i) => ({ one, i })) : sound.value ? [{ one: sound.value, i: shownSound.value }] : [];
  return drawn.flatMap(({ one, i }, at) => {
    const recording = shelf.byDigest.get(one.recording ?? "");
    const { start, seconds } = stretchOf(one);
    const known = recording && seconds !== null;
    const shares = known
      ? { from: start / recording.duration_s, to: Math.min(1, (start + seconds) / recording.duration_s) }
      : { from: 0, to: 1 };
    return one.recording
      ? [{ ...shares, i, recording, digest: one.recording, name: one.name, top: at / drawn.length, share: 1 / drawn.length }]
      : [];
  });
});
const laneOf = (which: number) => lanes.value.find(({ i }) => i === which) ?? (which === shownSound.value ? WHOLE_LANE : null);
const WHOLE_LANE = { top: 0, share: 1 };
/** How the large picture is read. */
const asSpectrum = useLocalStorage("bloom-layer-spectrum", false);
const s = computed(() => props.layer.settings);
const handle = computed(() => kind.value?.handle ?? "position");
const position = computed(() => number(s.value, handle.value));
const band = computed(() => view.value.stretch?.(s.value, stretch.value.seconds) ?? null);
const ticks = computed(() => {
  const seconds = stretch.value.seconds;
  if (!seconds || !reads.value) return [];
  const step = [0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 30].find((one) => seconds / one <= 8) ?? 60;
  return Array.from({ length: Math.floor(seconds / step) + 1 }, (_, i) => ({
    share: (i * step) / seconds,
    word: `${Number((stretch.value.start + i * step).toFixed(2))} s`,
  })).filter(({ share }) => share < 0.8);
});
/** What the pointer lights up elsewhere: routes into this layer, those along its time drawn on it. */
const lit = computed(() => movement.litInto(props.layer.id));
const PLACES = ["position", "start", "loop_start"];
const paths = computed(() =>
  lit.value
    .filter(({ parameter }) => reads.value && PLACES.includes(parameter))
    .map(({ id }) => movement.said(id))
    .filter((one) => one !== undefined),
);
const silent = computed(() => s.value.mute === "on");

type Edge = "position" | "left" | "right";
let dragging: Edge | null = null;
let before: Record<string, number> = {};

function place(event: PointerEvent): number {
  const box = picture.value!.getBoundingClientRect();
  return Math.round(Math.min(1, Math.max(0, (event.clientX - box.left) / box.width)) * 1e5) / 1e3;
}

/** What the pointer takes hold of: an edge of the loop when near one, else the position. */
function grabbed(event: PointerEvent): Edge {
  if (!band.value?.ends) return "position";
  const at = place(event);
  const near = (6 / Math.max(1, width.value)) * 100;
  if (Math.abs(at - band.value.right) < near) return "right";
  if (Math.abs(at - band.value.left) < near) return "left";
  return "position";
}

function held(): Record<string, number> {
  const keys = dragging === "position" ? [handle.value] : ["loop_start", "loop_length"];
  return Object.fromEntries(keys.map((key) => [key, number(s.value, key)]));
}

function down(event: PointerEvent): void {
  if (event.button !== 0 || !reads.value || word(s.value, "gather") === "a likeness") return;
  picture.value!.setPointerCapture(event.pointerId);
  dragging = grabbed(event);
  before = held();
  move(event);
}

function move(event: PointerEvent): void {
  if (!dragging || !stretch.value.seconds) return;
  const at = place(event);
  const ms = 10 * stretch.value.seconds;
  if (dragging === "position") instrument.move(props.layer.id, handle.value, at);
  else {
    const start = before.loop_start!;
    const end = start + before.loop_length! / ms;
    const from = dragging === "left" ? Math.min(at, end) : start;
    const to = dragging === "left" ? end : Math.max(at, start);
    if (dragging === "left") instrument.move(props.layer.id, "loop_start", from);
    instrument.move(props.layer.id, "loop_length", Math.max(0.05, (to - from) * ms));
  }
}

function up(): void {
  if (!dragging) return;
  const now = held();
  const changed = Object.keys(now).some((key) => now[key] !== before[key]);
  if (changed) instrument.rest(props.layer.id, now, dragging === "position" ? handle.value : "loop");
  dragging = null;
}

/** Grains as dots, high for left and low for right; read-heads as lines. */
function paint(pen: CanvasRenderingContext2D): void {
  const look = live.look.layers[props.index];
  if (!look) return;
  const newest = look.heads[look.heads.length - 1];
  if (newest && props.layer.sounds.length > 1) shownSound.value = newest[1];
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
    const lane = reads.value ? laneOf(which) : WHOLE_LANE;
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
      borderColor: chosen || lit.length ? `var(--${layer.petal})` : undefined,
      boxShadow: lit.length ? `inset 0 0 0 1px var(--${layer.petal})` : undefined,
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
            v-if="word(s, 'gather') !== 'a likeness'"
            class="absolute top-0 size-0 -translate-x-1/2 border-x-[6px] border-t-[8px] border-x-transparent border-t-ink"
            :style="{ left: `${position}%` }"
          />
          <i v-if="word(s, 'gather') !== 'a likeness'" class="absolute inset-y-0 w-px bg-ink" :style="{ left: `${position}%` }" />
        </template>
        <i
          v-for="path in paths"
          :key="path.id"
          class="pointer-events-none absolute top-1/2 h-2 -translate-y-1/2 border-x-2 border-ink"
          data-testid="path"
          :style="{
            left: `${path.low}%`,
            width: `max(2px, ${path.high - path.low}%)`,
            background: 'color-mix(in srgb, var(--petal) 55%, transparent)',
          }"
        />
        <ul
          v-if="lit.length"
          class="pointer-events-none absolute right-1 z-10 bg-sheet px-1.5 text-xs"
          :class="chosen ? 'bottom-1' : 'top-0'"
        >
          <li v-for="route in lit.slice(0, chosen ? 6 : 3)" :key="route.id">
            <span class="font-serif italic">{{ movement.said(route.id)?.source }}</span> <span class="text-soft">moves</span>
            {{ movement.said(route.id)?.parameter }} {{ movement.said(route.id)?.amount }}
          </li>
        </ul>
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
