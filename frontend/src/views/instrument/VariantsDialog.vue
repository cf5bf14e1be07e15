<script setup lang="ts">
/** Variants: a sheet of neighbours of this instrument, heard one after another, one of them kept. */
import DialogFrame from "../../frame/DialogFrame.vue";
import { computed, ref, shallowRef, watch } from "vue";

import { api, wanted } from "../../api/client";
import { isChoice, number, type Variant } from "../../api/types";
import SketchPicture, { type Sketch } from "../../charts/SketchPicture.vue";
import Segments from "../../controls/Segments.vue";
import { player } from "../../live/player";
import { useInstrument } from "../../stores/instrument";
import { useJobs } from "../../stores/jobs";
import { useLive } from "../../stores/live";
import { useNotices } from "../../stores/notices";
import { useProject } from "../../stores/project";

const props = defineProps<{ open: boolean }>();
const emit = defineEmits<{ close: [] }>();
const instrument = useInstrument();
const project = useProject();
const live = useLive();

const amount = ref(0.15);
const chosen = ref<string[]>(["Where", "Grain", "Loop", "Wave"]);
const only = ref<"all" | "one">("all");
const variants = shallowRef<Variant[]>([]);
const ranges = ref<{ layer: string; parameter: string; low: number; high: number }[]>([]);
const heard = ref<number | null>(null);
const seed = ref(1);
let playing: number | null = null;
let timer = 0;

const AMOUNTS = [
  { value: 0.05, word: "a little" },
  { value: 0.15, word: "some" },
  { value: 0.4, word: "a lot" },
];
const groups = computed(() => {
  const layers = instrument.document?.layers ?? [];
  const all = layers.flatMap(({ kind }) => project.catalogue.kinds[kind] ?? []);
  const names = all.filter((one) => !isChoice(one) && one.movable).map(({ group }) => group);
  return [...new Set(names)].filter((name) => !["Output", "Range"].includes(name));
});

async function roll(again = true): Promise<void> {
  if (instrument.id === null) return;
  if (again) seed.value = Math.floor(Math.random() * 1e6) + 1;
  const path = { instrument_id: instrument.id };
  const layers = only.value === "one" ? [instrument.layer!.id] : null;
  const body = { groups: chosen.value, layers, amount: amount.value, ranges: [], count: 8, seed: seed.value, key: noteHeard.value };
  try {
    const found = await wanted(api.POST("/api/instruments/{instrument_id}/variants", { params: { path }, body }));
    variants.value = found.variants;
    ranges.value = found.ranges;
    void listen(found.job);
    if (heard.value !== null) hear(null, false);
  } catch (error) {
    useNotices().complain(error);
  }
}

/** What each sounds like: rendered as it is heard, the present state first. */
const sketches = shallowRef<Sketch[]>([]);
let listening = "";

async function listen(job: string): Promise<void> {
  if (listening) void useJobs().cancel(listening);
  listening = job;
  sketches.value = [];
  if ((await useJobs().ended(job)).state !== "done" || listening !== job) return;
  listening = "";
  const answer = await fetch(`/api/sketches/${job}`);
  if (!answer.ok) return;
  const [count, rows, columns] = answer.headers.get("X-Shape")!.split(",").map(Number) as [number, number, number];
  const bytes = new Uint8Array(await answer.arrayBuffer());
  const one = rows * columns;
  sketches.value = Array.from({ length: count }, (_, i) => ({ rows, columns, bytes: bytes.subarray(i * one, (i + 1) * one) }));
}

/** The key that is heard, and sketched. */
const noteHeard = computed(() => {
  const low = Math.max(36, ...(current.value?.layers.map(({ settings }) => number(settings, "noteHeardlow")) ?? []));
  return Math.min(96, Math.max(low, 48));
});

const current = computed(() => instrument.document);
const documentOf = (i: number | null) => (i === null ? current.value : variants.value[i]?.document);

function hear(i: number | null, sound = true): void {
  heard.value = i;
  const document = documentOf(i);
  if (document) live.load(document);
  if (sound) play();
}

function play(): void {
  stop();
  const low = Math.max(36, ...(current.value?.layers.map(({ settings }) => number(settings, "noteHeardlow")) ?? []));
  playing = player.start(Math.min(96, Math.max(low, 48)), 0.8);
  timer = window.setTimeout(stop, 2_500);
}

function stop(): void {
  clearTimeout(timer);
  if (playing !== null) player.end(playing);
  playing = null;
}

async function keep(): Promise<void> {
  const variant = heard.value === null ? null : variants.value[heard.value];
  stop();
  heard.value = null;
  emit("close");
  if (variant) await instrument.edit("Keep a variant", variant.patch);
}

function close(): void {
  stop();
  if (listening) void useJobs().cancel(listening);
  if (heard.value !== null) hear(null, false);
  emit("close");
}

function key(event: KeyboardEvent): void {
  const at = Number(event.key);
  if (event.key === "0") hear(null);
  else if (at >= 1 && at <= variants.value.length) hear(at - 1);
  else if (event.key === "k" && heard.value !== null) void keep();
  else return;
  event.preventDefault();
}

watch(
  () => props.open,
  (open) => {
    if (!open) return;
    chosen.value = chosen.value.filter((name) => groups.value.includes(name));
    if (!chosen.value.length) chosen.value = groups.value.slice(0, 2);
    variants.value = [];
    heard.value = null;
    void roll();
  },
);
</script>

<template>
  <DialogFrame :open="open" title="Variants" width="w-[60rem]" @keydown="key" @close="close">
    <template #note>hear them with a click or 1 to 8, the present state with 0; K keeps the one you hear</template>
    <div class="mt-3 flex flex-wrap items-center gap-x-3 gap-y-1">
      <span class="text-soft">vary</span>
      <label v-for="name in groups" :key="name" class="flex items-center gap-1"
        ><input v-model="chosen" type="checkbox" :value="name" class="accent-[var(--ink)]" @change="roll(false)" />{{ name }}</label
      >
    </div>
    <div class="mt-2 flex items-center gap-4">
      <Segments v-model="amount" label="How much" :options="AMOUNTS" @update:model-value="roll(false)" />
      <Segments
        v-model="only"
        label="Of which layers"
        :options="[
          { value: 'all', word: 'all layers' },
          { value: 'one', word: instrument.layer?.name ?? 'this layer' },
        ]"
        @update:model-value="roll(false)"
      />
      <button class="quiet ml-auto text-focus" @click="roll()">Roll again</button>
    </div>
    <div class="mt-3 grid grid-cols-3 gap-2" data-testid="variants">
      <button
        v-for="i in [null, ...variants.keys()]"
        :key="String(i)"
        class="border p-2 text-left"
        :class="heard === i ? 'border-ink bg-[var(--key-shade)]' : 'border-hairline hover:bg-[var(--key-shade)]'"
        :aria-pressed="heard === i"
        @click="hear(i)"
      >
        <span class="flex justify-between"
          ><span class="font-serif text-base">{{ i === null ? "As it is" : `Variant ${i + 1}` }}</span
          ><span class="text-xs text-soft">{{ i === null ? 0 : i + 1 }}</span></span
        >
        <span class="relative mt-1 block h-16 border border-hairline bg-sheet">
          <SketchPicture v-if="sketches[i === null ? 0 : i + 1]" :sketch="sketches[i === null ? 0 : i + 1]!" colour="ink" />
          <span v-else class="absolute inset-0 grid place-items-center text-xs text-soft">listening</span>
        </span>
        <span class="mt-1 block h-8 overflow-hidden text-xs text-soft" :title="i === null ? '' : variants[i]!.words.join('; ')">
          {{ i === null ? "two seconds of one note" : variants[i]!.words.join("; ") || "as it is" }}
        </span>
      </button>
    </div>
    <p v-if="!ranges.length" class="mt-2 text-soft">Tick what may vary.</p>
    <template #actions
      ><button class="action-main" :disabled="heard === null" @click="keep">
        Keep {{ heard === null ? "" : `variant ${heard + 1}` }}
      </button></template
    >
  </DialogFrame>
</template>
