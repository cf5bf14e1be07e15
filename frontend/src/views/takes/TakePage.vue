<script setup lang="ts">
/** A take written like a page, line under line; or on one long line, to look closely. */
import { useElementSize } from "@vueuse/core";
import { computed, ref, toRef } from "vue";

import type { Lane } from "../../api/types";
import { clock, keyRange, secondsALine } from "../../charts/takeLine";
import { type Stretch, useTakes } from "../../stores/takes";
import TakePageLine from "./TakePageLine.vue";
import { useTakePeaks } from "./takePeaks";

const LEAST_LINE_PX = 84;
const MOST_LINE_PX = 168;
const SHOWN_LANES = ["pad_across", "pad_up"];

const props = defineProps<{ head: number | null; closer: number }>();
const emit = defineEmits<{ listen: [at: number] }>();
const takes = useTakes();
const box = ref<HTMLElement>();
const { height } = useElementSize(box);
const seconds = computed(() => takes.hands?.seconds ?? takes.document?.about.seconds ?? 0);
const { lineOf, loudest } = useTakePeaks(
  toRef(() => takes.id),
  toRef(() => takes.sound),
  toRef(() => takes.renderings.find(({ id }) => id === takes.sound)?.seconds ?? takes.document?.about.seconds ?? 0),
  toRef(() => takes.ready),
);
const perLine = computed(() => secondsALine(seconds.value, 4 * 2 ** props.closer));
const lines = computed(() => {
  const count = Math.max(1, Math.ceil(seconds.value / perLine.value));
  return Array.from({ length: count }, (_, i) => ({ from: i * perLine.value, to: (i + 1) * perLine.value }));
});
const lineHeight = computed(() => Math.min(MOST_LINE_PX, Math.max(LEAST_LINE_PX, (height.value - 8) / Math.min(4, lines.value.length))));
const notes = computed(() => takes.hands?.notes ?? []);
/** The pad, or else what moves most. */
const lanes = computed<Lane[]>(() => {
  const all = takes.hands?.lanes ?? [];
  const pad = all.filter(({ id }) => SHOWN_LANES.includes(id));
  return pad.length ? pad : [...all].sort((a, b) => b.points.length - a.points.length).slice(0, 2);
});
const keys = computed(() => keyRange(notes.value));
const shelved = computed(() => new Set(takes.kept.map(({ key }) => key)));

const choose = (key: string) => (takes.chosenKey = takes.chosenKey === key ? null : key);
function chooseStretch(stretch: Stretch | null): void {
  takes.stretch = stretch;
}
</script>

<template>
  <div ref="box" class="min-h-0 flex-1 overflow-y-auto" data-testid="take-page">
    <div v-for="line in lines" :key="line.from" class="flex" :style="{ height: `${lineHeight}px` }">
      <span class="w-10 shrink-0 pt-[2.1rem] text-xs text-soft">{{ clock(line.from) }}</span>
      <TakePageLine
        class="mb-1.5 min-w-0 flex-1"
        :from="line.from"
        :to="line.to"
        :end="seconds"
        :peaks="lineOf(line.from, line.to)"
        :loudest="loudest"
        :keys="keys"
        :notes="notes"
        :lanes="lanes"
        :moments="takes.moments"
        :chosen="takes.chosenKey"
        :stretch="takes.stretch"
        :marks="takes.hands?.marks ?? []"
        :head="head"
        :shelved="shelved"
        @listen="emit('listen', $event)"
        @choose="choose"
        @stretch="chooseStretch"
      />
    </div>
  </div>
</template>
