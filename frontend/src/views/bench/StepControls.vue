<script setup lang="ts">
/** The controls of the chosen step, as its kind declares them. */
import { computed } from "vue";

import type { Parameter } from "../../api/client";
import NoteEntry from "../../controls/NoteEntry.vue";
import Rule from "../../controls/Rule.vue";
import Segments from "../../controls/Segments.vue";
import { useBench } from "../../stores/bench";
import TimeEntry from "./TimeEntry.vue";

const props = defineProps<{ duration: number; longestCrossfade: number | null }>();
defineEmits<{ nudge: [id: string, how: "ms" | "sample" | "zero", way: -1 | 1] }>();
const bench = useBench();
const step = computed(() => bench.step!);
const kind = computed(() => bench.kind!);

function matters(id: string): boolean {
  const when = kind.value.shown[id];
  if (!when) return true;
  const choice = kind.value.choices.find((one) => one.id === when[0]);
  return when[1].includes(String(step.value[when[0]] ?? choice?.default));
}

const parameters = computed(() => kind.value.parameters.filter((p) => matters(p.id)));
const choices = computed(() => kind.value.choices.filter((c) => matters(c.id)));
const isTime = (p: Parameter) => p.unit === "s" && p.high > 1_000;
const value = (p: Parameter) => Number(step.value[p.id] ?? p.default);

/** A crossfade cannot be longer than its loop: its rule ends there. */
function fitted(p: Parameter): Parameter {
  if (kind.value.id === "loop" && p.id === "crossfade" && props.longestCrossfade !== null)
    return { ...p, high: Math.max(1, Math.round(props.longestCrossfade)), default: Math.min(p.default, Math.max(1, props.longestCrossfade)) };
  if (p.unit === "ms" && p.id.startsWith("fade")) return { ...p, high: Math.max(10, Math.min(p.high, Math.round(500 * props.duration))) };
  return p;
}

function rest(p: { id: string; name: string }, to: unknown): void {
  void bench.change(bench.chosen, { [p.id]: to }, `${kind.value.name}: ${p.name}`);
}
</script>

<template>
  <div class="flex flex-col gap-1 pb-2">
    <p v-if="!parameters.length && !choices.length" class="text-soft">{{ kind.help }}</p>
    <div v-for="c in choices" :key="c.id" class="flex items-baseline justify-between gap-2">
      <span class="shrink-0 text-soft" :title="c.help">{{ c.name }}</span>
      <select v-if="c.options.join('').length > 22" class="field !py-0.5" :aria-label="c.name" :value="step[c.id] ?? c.default" @change="rest(c, ($event.target as HTMLSelectElement).value)">
        <option v-for="o in c.options" :key="o" :value="o">{{ o }}</option>
      </select>
      <Segments v-else :model-value="String(step[c.id] ?? c.default)" :label="c.name" class="tight justify-end" :options="c.options.map((o) => ({ value: o, word: o }))" @update:model-value="rest(c, $event)" />
    </div>
    <template v-for="p in parameters" :key="p.id">
      <TimeEntry v-if="isTime(p)" :parameter="p" :value="value(p)" :duration="duration" @set="rest(p, $event)" @nudge="(how, way) => $emit('nudge', p.id, how, way)" />
      <div v-else-if="p.unit === 'note'" class="flex items-baseline justify-between">
        <span class="text-soft" :title="p.help">{{ p.name }}</span>
        <NoteEntry :note="value(p)" :label="p.name" :help="p.help" @change="rest(p, $event)" />
      </div>
      <Rule v-else :parameter="fitted(p)" :value="value(p)" @move="bench.move(bench.chosen, { [p.id]: $event })" @rest="rest(p, $event)" />
    </template>
  </div>
</template>

<style scoped>
.tight :deep(span) {
  padding: 1px 7px;
}
</style>
