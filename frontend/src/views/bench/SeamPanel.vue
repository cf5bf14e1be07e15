<script setup lang="ts">
/** The seam of the loop, enlarged: its end drawn onto its start, and what is heard there. */
import { useElementSize } from "@vueuse/core";
import { line } from "d3-shape";
import { computed, ref, watch } from "vue";

import { api, wanted } from "../../api/client";
import { number, type Seam, type Step, word } from "../../api/types";
import Segments from "../../controls/Segments.vue";
import { useLive } from "../../stores/live";

type Loop = Extract<Step, { do: "loop" }>;
type Direction = Loop["direction"];
type Curve = Loop["curve"];

const props = defineProps<{ soundKey: string; step: Step; duration: number }>();
defineEmits<{ take: [edges: [number, number]] }>();
const live = useLive();
const seam = ref<Seam | null>(null);
const problem = ref("");
const reach = ref(24);
const chart = ref<HTMLElement>();
const { width, height } = useElementSize(chart);
const loop = computed(() => ({
  start: number(props.step, "start"),
  end: number(props.step, "end") || props.duration,
  crossfade: number(props.step, "crossfade"),
  direction: word(props.step, "direction") as Direction,
}));
let asked = 0;

async function look(): Promise<void> {
  const number = ++asked;
  try {
    const query = { ...loop.value, curve: word(props.step, "curve") as Curve, reach: reach.value };
    const found = await wanted(api.GET("/api/sounds/{digest}/seam", { params: { path: { digest: props.soundKey }, query } }));
    if (number !== asked) return;
    seam.value = found;
    problem.value = "";
  } catch (error) {
    if (number !== asked) return;
    // what is known of another loop says nothing of this one
    seam.value = null;
    problem.value = error instanceof Error ? error.message : String(error);
  }
}

watch(() => [props.soundKey, props.step, reach.value], look, { immediate: true, deep: true });

function path(values: number[]): string {
  const top = Math.max(1e-4, ...[...(seam.value?.leaving ?? []), ...(seam.value?.entering ?? [])].map(Math.abs));
  const draw = line<number>(
    (_, i) => (i / Math.max(1, values.length - 1)) * width.value,
    (v) => height.value * (0.5 - (0.46 * v) / top),
  );
  return draw(values) ?? "";
}

const verdict = computed(() => {
  const s = seam.value;
  if (!s) return "";
  if (s.step > 1.5) return "clicks";
  return s.closes > 0.85 ? "very well" : s.closes > 0.7 ? "well" : s.closes > 0.5 ? "fairly" : "poorly";
});
const tight = computed(
  () => seam.value !== null && loop.value.crossfade > seam.value.room_ms + 0.5 && loop.value.direction !== "back-and-forth",
);

function listen(): void {
  if (live.listeningTo === props.soundKey) return live.hush();
  live.listen(props.soundKey, loop.value.start, { loop: { ...loop.value, curve: seam.value?.curve ?? "linear" } });
}

defineExpose({ listen });
</script>

<template>
  <section class="flex min-h-0 gap-5" aria-label="The seam">
    <div class="flex min-w-0 flex-1 flex-col">
      <div class="flex items-baseline gap-3">
        <h2 class="font-serif text-base font-semibold">The seam</h2>
        <span class="truncate text-soft"
          >the loop's <span class="text-ink">end</span> drawn onto its
          <span class="text-[color-mix(in_srgb,var(--ochre)_50%,var(--ink))]">start</span>, {{ reach }} ms either side</span
        >
        <Segments
          v-model="reach"
          label="Enlargement"
          class="ml-auto"
          :options="[
            { value: 100, word: '100' },
            { value: 24, word: '24' },
            { value: 4, word: '4' },
            { value: 1, word: '1 ms' },
          ]"
        />
        <button class="action !py-0.5" title="Enter" @click="listen">
          {{ live.listeningTo === soundKey ? "Stop" : "Listen to the loop" }}
        </button>
      </div>
      <div ref="chart" class="relative mt-1 min-h-0 flex-1 border border-hairline bg-sheet" data-testid="seam">
        <svg v-if="seam && !problem" class="absolute inset-0 h-full w-full" role="img" :aria-label="`The seam closes ${verdict}`">
          <line :x1="width / 2" y1="0" :x2="width / 2" :y2="height" stroke="var(--ink-soft)" stroke-dasharray="3 3" />
          <path :d="path(seam.entering)" fill="none" stroke="var(--ochre)" stroke-width="2" />
          <path :d="path(seam.leaving)" fill="none" stroke="var(--ink)" stroke-width="1.4" />
          <path :d="path(seam.heard)" fill="none" stroke="var(--focus)" stroke-width="1.2" stroke-dasharray="4 3" />
        </svg>
        <p v-if="problem" class="grid h-full place-items-center px-6 text-center text-soft">{{ problem }}</p>
      </div>
    </div>
    <div class="flex w-44 shrink-0 flex-col gap-1.5 overflow-y-auto">
      <p v-if="seam">closes <strong :class="verdict === 'clicks' || verdict === 'poorly' ? 'text-bad' : ''">{{ verdict }}</strong></p>
      <div class="h-1 bg-hairline">
        <div
          class="h-full"
          :class="(seam?.closes ?? 0) > 0.7 ? 'bg-good' : 'bg-warn'"
          :style="{ width: `${100 * (seam?.closes ?? 0)}%` }"
        />
      </div>
      <p class="text-soft">
        <template v-if="seam?.turn">The {{ seam.turn }} turns back here. <span class="text-focus">Dashed</span>: what is heard.</template>
        <template v-else-if="seam"
          >likeness {{ Math.round(100 * seam.likeness) }} %, {{ seam.curve }} crossfade. <span class="text-focus">Dashed</span>: what is
          heard.</template
        >
      </p>
      <div v-if="tight && seam" class="text-warn" data-testid="crossfade-room">
        Only {{ Math.round(seam.room_ms) }} ms lie {{ loop.direction === "backward" ? "after" : "before" }} the loop to fade with.
        <span class="flex flex-wrap">
          <button
            v-if="seam.moved"
            class="quiet !px-1 text-focus"
            title="As long as it is, further inside"
            @click="$emit('take', seam.moved!)"
          >
            Move the loop
          </button>
          <button
            v-if="seam.shortened"
            class="quiet !px-1 text-focus"
            title="What the loop gives up is what it fades with"
            @click="$emit('take', seam.shortened!)"
          >
            Take from inside
          </button>
        </span>
      </div>
    </div>
  </section>
</template>
