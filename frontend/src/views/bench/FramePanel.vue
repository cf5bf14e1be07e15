<script setup lang="ts">
/** One frame: its wave, and its harmonics as a ledger whose levels can be drawn. */
import { computed, ref } from "vue";

import { useTable } from "../../stores/table";
import { decibels } from "../../theme/words";

const table = useTable();
const FLOOR = -72;
const ROOM = 6;
const W = 400;
const H = 100;
const all = ref(false);
const drawn = ref<Map<number, number>>(new Map());
const ledger = ref<HTMLElement>();
const over = ref<number | null>(null);
let drawing = false;
let before: [number, number] | null = null;

const line = computed(() => {
  const wave = table.frame?.wave ?? [];
  return wave.map((value, i) => `${(i / (wave.length - 1)) * W},${H / 2 - 46 * value}`).join(" ");
});
const levels = computed(() => table.frame?.levels ?? []);
/** As many harmonics as there are, in steps, so that the ledger does not jump while scrubbing. */
const shown = computed(() => {
  const last = levels.value.findLastIndex((level) => level > FLOOR) + 1;
  return [16, 32, 64, 128, 256, 512, 1023].find((count) => count >= last + 2) ?? 1023;
});
const bars = computed(() => Array.from({ length: shown.value }, (_, i) => drawn.value.get(i + 1) ?? levels.value[i] ?? -120));
const height = (level: number) => Math.max(0, (100 * (level - FLOOR)) / (ROOM - FLOOR));
const told = computed(() =>
  over.value === null
    ? ""
    : `${over.value}: ${(bars.value[over.value - 1] ?? -120) <= FLOOR ? "silent" : `${decibels(bars.value[over.value - 1]!)} dB`}`,
);

function at(event: PointerEvent): [number, number] {
  const box = ledger.value!.getBoundingClientRect();
  const number = Math.min(shown.value, Math.max(1, 1 + Math.floor(((event.clientX - box.left) / box.width) * shown.value)));
  const level = ROOM - ((event.clientY - box.top) / box.height) * (ROOM - FLOOR);
  return [number, level <= FLOOR + 1 ? -120 : Math.min(ROOM, Math.round(level * 2) / 2)];
}

function down(event: PointerEvent): void {
  if (event.button !== 0) return;
  ledger.value!.setPointerCapture(event.pointerId);
  drawing = true;
  before = null;
  move(event);
}

function move(event: PointerEvent): void {
  const now = at(event);
  over.value = now[0];
  if (!drawing) return;
  const next = new Map(drawn.value);
  const [from, level] = before ?? now;
  const steps = Math.abs(now[0] - from);
  for (let i = 0; i <= steps; i++) {
    const share = steps ? i / steps : 1;
    next.set(from + Math.sign(now[0] - from) * i, level + share * (now[1] - level));
  }
  drawn.value = next;
  before = now;
}

async function up(): Promise<void> {
  if (!drawing) return;
  drawing = false;
  const made = [...drawn.value].map(([number, level]): [number, number] => [number, Math.max(-120, level)]);
  const frame = all.value ? null : table.chosen;
  await table.edit("Draw harmonics", (document) => {
    const last = document.steps.at(-1);
    // strokes on one frame are one step
    if (last?.do === "draw" && last.frame === frame) {
      const kept = new Map([...last.levels, ...made]);
      last.levels = [...kept];
    } else document.steps.push({ do: "draw", frame, levels: made });
  });
  drawn.value = new Map();
}
</script>

<template>
  <div class="flex gap-4">
    <figure class="flex w-[38%] flex-col">
      <figcaption class="mb-1 flex justify-between text-xs text-soft">
        <span>{{ table.made ? `frame ${table.chosen + 1} of ${table.made.frames}, one period` : "no frames yet" }}</span>
      </figcaption>
      <svg
        class="min-h-0 w-full flex-1 border border-hairline bg-sheet"
        :viewBox="`0 0 ${W} ${H}`"
        preserveAspectRatio="none"
        role="img"
        :aria-label="`Wave of frame ${table.chosen + 1}`"
      >
        <line x1="0" :y1="H / 2" :x2="W" :y2="H / 2" stroke="var(--hairline)" vector-effect="non-scaling-stroke" />
        <polyline :points="line" fill="none" stroke="var(--ink)" stroke-width="1.5" vector-effect="non-scaling-stroke" />
      </svg>
    </figure>
    <figure class="flex min-w-0 flex-1 flex-col">
      <figcaption class="mb-1 flex items-center gap-3 text-xs text-soft">
        <span class="flex-1"
          >harmonics 1 to {{ shown }}; drag to draw their levels <span class="pl-1 font-medium text-ink">{{ told }}</span></span
        >
        <label class="flex items-center gap-1"><input v-model="all" type="checkbox" />in all frames</label>
      </figcaption>
      <div
        ref="ledger"
        class="relative flex min-h-0 flex-1 cursor-crosshair touch-none items-end border border-hairline bg-sheet"
        data-testid="harmonics"
        @pointerdown="down"
        @pointermove="move"
        @pointerup="up"
        @pointercancel="up"
        @pointerleave="over = null"
      >
        <i
          v-for="db in [0, -24, -48]"
          :key="db"
          class="pointer-events-none absolute inset-x-0 border-t border-hairline"
          :style="{ bottom: `${height(db)}%` }"
        />
        <i
          v-for="(level, i) in bars"
          :key="i"
          class="pointer-events-none relative flex-1 bg-[var(--lichen)]"
          :class="shown <= 64 ? 'mx-px' : ''"
          :style="{ height: `${height(level)}%` }"
        />
        <span
          v-for="db in [0, -24, -48]"
          :key="`${db} dB`"
          class="pointer-events-none absolute right-1 translate-y-1/2 bg-sheet px-0.5 text-xs text-soft"
          :style="{ bottom: `${height(db)}%` }"
          >{{ db === 0 ? "0 dB" : decibels(db).replace(".0", "") }}</span
        >
      </div>
    </figure>
  </div>
</template>
