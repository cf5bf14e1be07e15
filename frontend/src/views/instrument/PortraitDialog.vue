<script setup lang="ts">
/** Portrait: what every key sounds like, at a glance; a click plays it. */
import DialogFrame from "../../frame/DialogFrame.vue";
import { computed, onBeforeUnmount, ref, watch } from "vue";

import { api, wanted } from "../../api/client";
import type { components } from "../../api/schema";
import { player } from "../../live/player";
import { useInstrument } from "../../stores/instrument";
import { isActive, useJobs } from "../../stores/jobs";
import { useNotices } from "../../stores/notices";
import { noteName } from "../../theme/words";

type Key = components["schemas"]["KeyPortrait"];

const props = defineProps<{ open: boolean }>();
defineEmits<{ close: [] }>();
const instrument = useInstrument();
const jobs = useJobs();
const keys = ref<Key[]>([]);
/** How a note that is held goes on. */
const held = ref("");
const job = ref<string | null>(null);
const hovered = ref<Key | null>(null);
const played = ref<number | null>(null);
let sounding: number | null = null;
let timer = 0;

const W = 880;
const ROWS = { brightness: 150, cents: 60, level: 70 };
const column = computed(() => W / Math.max(1, keys.value.length));
const running = computed(() => jobs.jobs.find((one) => one.id === job.value && isActive(one)));

const HZ = [60, 200, 600, 2_000, 6_000, 16_000];
const yHz = (hz: number) => ROWS.brightness * (1 - Math.log(Math.max(60, hz) / 60) / Math.log(16_000 / 60));
const yCents = (cents: number) => ROWS.cents / 2 - (Math.max(-50, Math.min(50, cents)) / 50) * (ROWS.cents / 2 - 4);
const yLevel = (level: number | null) => (level === null ? ROWS.level : ROWS.level * Math.min(1, Math.max(0, -level / 60)));

async function show(): Promise<void> {
  if (instrument.id === null) return;
  const path = { instrument_id: instrument.id };
  const url = "/api/instruments/{instrument_id}/portrait";
  try {
    const found = await wanted(api.GET(url, { params: { path } }));
    if (found.keys) {
      keys.value = found.keys;
      held.value = found.held?.words ?? "";
      job.value = null;
      return;
    }
    keys.value = [];
    held.value = "";
    const started = await wanted(api.POST(url, { params: { path } }));
    job.value = started.job;
    jobs.follow(started.job, () => void show());
  } catch (error) {
    useNotices().complain(error);
  }
}

function play(key: number): void {
  stop();
  sounding = player.start(key, 0.8);
  played.value = key;
  timer = window.setTimeout(stop, 1_600);
}

function stop(): void {
  clearTimeout(timer);
  if (sounding !== null) player.end(sounding);
  sounding = played.value = null;
}

watch(
  () => props.open,
  (open) => (open ? void show() : stop()),
);
onBeforeUnmount(stop);
</script>

<template>
  <DialogFrame
    :open="open"
    :title="`Portrait of ${instrument.document?.name}`"
    width="w-[62rem]"
    :style="{ '--petal': `var(--${instrument.layer?.petal ?? 'madder'})` }"
    @close="$emit('close')"
  >
    <template #note>every key, as it sounds held down; click one to hear it</template>
    <div v-if="!keys.length" class="grid h-72 place-items-center text-soft">
      <p v-if="running">
        Sounding every key: {{ Math.round(100 * running.progress) }} %
        <button class="quiet" @click="jobs.cancel(running.id)">Cancel</button>
      </p>
      <p v-else>There is no portrait of this state yet. <button class="quiet text-focus" @click="show">Make one</button></p>
    </div>
    <div v-else class="mt-3" data-testid="portrait" @pointerleave="hovered = null">
      <div class="flex">
        <div class="relative w-16 shrink-0 text-xs text-soft">
          <span class="absolute top-0 left-0 w-14">bright&shy;ness</span>
          <span v-for="hz in HZ" :key="hz" class="absolute right-1 -translate-y-1/2" :style="{ top: `${yHz(hz)}px` }">{{
            hz < 1000 ? hz : `${hz / 1000}k`
          }}</span>
        </div>
        <svg :width="W" :height="ROWS.brightness" class="border-b border-hairline">
          <g v-for="(one, i) in keys" :key="one.key" @pointerenter="hovered = one">
            <rect
              :x="i * column"
              y="0"
              :width="column"
              :height="ROWS.brightness"
              :class="[1, 3, 6, 8, 10].includes(one.key % 12) ? 'fill-[var(--key-shade)]' : 'fill-transparent'"
              opacity="0.5"
            />
            <rect
              v-if="one.level !== null"
              :x="i * column + 1"
              :y="yHz(one.brightness)"
              :width="Math.max(1, column - 2)"
              :height="ROWS.brightness - yHz(one.brightness)"
              :fill="`color-mix(in srgb, var(--petal) ${Math.round(100 * one.tonal)}%, var(--wave))`"
            />
          </g>
        </svg>
      </div>
      <div class="mt-1 flex">
        <span class="w-16 shrink-0 text-xs text-soft">off pitch<br />±50 ct</span>
        <svg :width="W" :height="ROWS.cents" class="border-b border-hairline">
          <line x1="0" :x2="W" :y1="ROWS.cents / 2" :y2="ROWS.cents / 2" class="stroke-hairline" />
          <template v-for="(one, i) in keys" :key="one.key">
            <circle v-if="one.cents !== null" :cx="(i + 0.5) * column" :cy="yCents(one.cents)" r="2.6" class="fill-ink" />
            <text
              v-else-if="one.level !== null && one.pitched"
              :x="(i + 0.5) * column"
              :y="ROWS.cents / 2 + 4"
              text-anchor="middle"
              class="fill-soft text-[10px]"
            >
              ~
            </text>
          </template>
        </svg>
      </div>
      <div class="mt-1 flex">
        <span class="w-16 shrink-0 text-xs text-soft">level</span>
        <svg :width="W" :height="ROWS.level">
          <rect
            v-for="(one, i) in keys"
            :key="one.key"
            :x="i * column + 1"
            :y="yLevel(one.level)"
            :width="Math.max(1, column - 2)"
            :height="ROWS.level - yLevel(one.level)"
            class="fill-[var(--wave-chosen)]"
          />
        </svg>
      </div>
      <div class="ml-16 flex h-14 border border-hairline" :style="{ width: `${W}px` }">
        <button
          v-for="one in keys"
          :key="one.key"
          class="relative h-full flex-1 border-r border-hairline last:border-0"
          :class="played === one.key ? 'bg-[var(--petal)]' : [1, 3, 6, 8, 10].includes(one.key % 12) ? 'bg-[var(--key-shade)]' : 'bg-sheet'"
          :aria-label="one.words"
          :title="one.words"
          @pointerenter="hovered = one"
          @click="play(one.key)"
        >
          <span v-if="one.key % 12 === 0" class="pointer-events-none absolute bottom-0 left-0.5 z-10 text-xs whitespace-nowrap text-soft">{{
            noteName(one.key)
          }}</span>
        </button>
      </div>
      <p v-if="held" class="mt-2" data-testid="held">{{ held }}</p>
      <p class="mt-1 h-5 text-soft">
        {{ hovered ? hovered.words : "Colour: what is tonal in the layer's colour, what is noisy in grey. ~ has no clear pitch." }}
      </p>
    </div>
  </DialogFrame>
</template>
