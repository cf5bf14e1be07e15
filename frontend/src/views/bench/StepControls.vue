<script setup lang="ts">
/** The controls of the chosen step, as its kind declares them. */
import { computed } from "vue";

import type { Parameter, Value } from "../../api/types";
import DeclaredControls from "../../controls/DeclaredControls.vue";
import NoteEntry from "../../controls/NoteEntry.vue";
import Rule from "../../controls/Rule.vue";
import { useBench } from "../../stores/bench";
import ResponseCurve from "./ResponseCurve.vue";
import TimeEntry from "./TimeEntry.vue";

const props = defineProps<{ duration: number }>();
defineEmits<{ nudge: [id: string, how: "ms" | "sample" | "zero", way: -1 | 1] }>();
const bench = useBench();
const step = computed(() => bench.step!);
const kind = computed(() => bench.kind!);
/** Very many rules stand in two columns. */
const dense = computed(() => kind.value.declared.length > 8);
const isTime = (p: Parameter) => p.unit === "s" && p.high > 1_000;

/** A crossfade cannot be longer than its loop: its rule ends there. */
function fitted(p: Parameter): Parameter {
  if (step.value.do === "loop" && p.id === "crossfade") {
    const longest = Math.max(1, Math.floor(1_000 * ((step.value.end || props.duration) - step.value.start)));
    return { ...p, high: Math.min(p.high, longest), default: Math.min(p.default, longest) };
  }
  if (p.unit === "ms" && p.id.startsWith("fade")) return { ...p, high: Math.max(10, Math.min(p.high, Math.round(500 * props.duration))) };
  return p;
}

function rest(id: string, to: Value, name: string): void {
  void bench.change(bench.chosen, { [id]: to }, `${kind.value.name}: ${name}`);
}
</script>

<template>
  <div class="flex flex-col gap-1 pb-2">
    <p v-if="!kind.declared.length" class="text-soft">{{ kind.help }}</p>
    <ResponseCurve v-if="step.do === 'equaliser'" :step="step" />
    <div :class="dense ? 'grid grid-cols-2 gap-x-4 gap-y-0.5' : 'flex flex-col gap-1'">
      <DeclaredControls :declared="kind.declared" :values="step" @rest="rest">
        <template #rule="{ parameter: p, value }">
          <TimeEntry
            v-if="isTime(p)"
            :parameter="p"
            :value="value"
            :duration="duration"
            @set="rest(p.id, $event, p.name)"
            @nudge="(how, way) => $emit('nudge', p.id, how, way)"
          />
          <div v-else-if="p.unit === 'note'" class="flex items-baseline justify-between">
            <span class="text-soft" :title="p.help">{{ p.name }}</span>
            <NoteEntry :note="value" :label="p.name" :help="p.help" @change="$event !== null && rest(p.id, $event, p.name)" />
          </div>
          <Rule
            v-else
            :class="dense && p.id.startsWith('q_') ? 'col-span-2' : ''"
            :parameter="fitted(p)"
            :value="value"
            @move="bench.move(bench.chosen, { [p.id]: $event })"
            @rest="rest(p.id, $event, p.name)"
          />
        </template>
      </DeclaredControls>
    </div>
  </div>
</template>
