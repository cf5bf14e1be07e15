<script setup lang="ts">
/** A take while it is recorded: it grows, line under line. */
import { computed } from "vue";

import { clock, keyRange, secondsALine } from "../../charts/takeLine";
import { useTaking } from "../../stores/taking";
import TakePageLine from "./TakePageLine.vue";

const LEAST_S = 40;
const NONE: never[] = [];
const SET = new Set<string>();
const taking = useTaking();
const seconds = computed(() => taking.growing.seconds);
const perLine = computed(() => secondsALine(Math.max(LEAST_S, seconds.value)));
const lines = computed(() => {
  const { pairs, times } = taking.growing;
  const count = Math.max(1, Math.ceil(seconds.value / perLine.value));
  return Array.from({ length: count }, (_, i) => {
    const [from, to] = [i * perLine.value, (i + 1) * perLine.value];
    const first = times.findIndex((at) => at > from);
    const last = times.findIndex((at) => at > to);
    const part = first < 0 ? [] : pairs.slice(2 * first, last < 0 ? undefined : 2 * last);
    return { from, to, peaks: Int16Array.from(part) };
  });
});
const loudest = computed(() => taking.growing.pairs.reduce((most, one) => Math.max(most, Math.abs(one)), 1));
const keys = computed(() => keyRange(taking.growing.notes));
const notes = computed(() => [...taking.growing.notes]);
const lanes = computed(() => [...taking.growing.lanes]);
const marks = computed(() => [...taking.growing.marks]);
</script>

<template>
  <div class="min-h-0 flex-1 overflow-y-auto" data-testid="growing-take">
    <div v-for="line in lines" :key="line.from" class="flex h-[8.2rem]">
      <span class="w-10 shrink-0 pt-[2.1rem] text-xs text-soft">{{ clock(line.from) }}</span>
      <TakePageLine
        class="mb-1.5 min-w-0 flex-1"
        :from="line.from"
        :to="line.to"
        :end="seconds"
        :peaks="line.peaks"
        :loudest="loudest"
        :keys="keys"
        :notes="notes"
        :lanes="lanes"
        :moments="NONE"
        :chosen="null"
        :stretch="null"
        :marks="marks"
        :head="seconds"
        :shelved="SET"
      />
    </div>
    <p class="ml-10 pt-1 text-xs text-soft italic">
      under each line: keys, pad and what is moved as it is played; full stop marks what was good, Shift R ends it
    </p>
  </div>
</template>
