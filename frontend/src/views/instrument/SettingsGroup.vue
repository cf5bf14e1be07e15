<script setup lang="ts">
/** The rules and choices of one heading of the registry; those that do not matter now are left out. */
import { useLocalStorage } from "@vueuse/core";
import { computed } from "vue";

import { type Declared, isChoice, type Parameter, type Settings, type Value } from "../../api/types";
import { matters } from "../../controls/declared";
import DeclaredControls from "../../controls/DeclaredControls.vue";
import Rule from "../../controls/Rule.vue";
import { useInstrument } from "../../stores/instrument";
import { useMovement } from "../../stores/movement";

const props = defineProps<{ name: string; declared: Declared[]; values: Settings; needles?: Record<string, number[]>; owner?: string }>();
const instrument = useInstrument();
const movement = useMovement();
defineEmits<{ move: [id: string, value: Value]; rest: [id: string, value: Value, name: string] }>();

const rules = computed(() => props.declared.filter((one) => !isChoice(one) && matters(one, props.declared, props.values)).length);
/** Groups that somebody has folded away stay so, in every instrument. */
const folded = useLocalStorage<string[]>("bloom-folded-groups", []);
const isFolded = computed(() => folded.value.includes(props.name));
const changed = computed(() => props.declared.filter((one) => props.values[one.id] !== one.default).length);
function fold(): void {
  folded.value = isFolded.value ? folded.value.filter((one) => one !== props.name) : [...folded.value, props.name];
}
/** The first rule of an odd number stands alone: it is the one that matters most. */
const wide = (first: boolean) => first && rules.value % 2 === 1;
/** How far routes may carry a rule, and where it is right now. */
function band(p: Parameter): [number, number] | undefined {
  const found = props.owner ? movement.bands.get(`${props.owner}.${p.id}`) : undefined;
  return found ? [found.low, found.high] : undefined;
}
function needlesOf(p: Parameter): number[] | undefined {
  const now = props.owner && band(p) ? movement.now(props.owner, p.id) : null;
  return props.needles?.[p.id] ?? (now ? [now.value] : undefined);
}
async function wire(source: string, p: Parameter): Promise<void> {
  if (!props.owner || !(await instrument.wire({ do: "route", source, target: props.owner, parameter: p.id }))) return;
  movement.ask(props.owner, p.id, movement.routes.at(-1)?.id ?? null);
}
</script>

<template>
  <section :aria-label="name">
    <h3 class="heading mb-1">
      <button :aria-expanded="!isFolded" :title="isFolded ? 'Unfold' : 'Fold away'" @click="fold">
        {{ name }}
        <span v-if="isFolded" class="font-normal text-soft">folded{{ changed ? `, ${changed} not at their default` : "" }}</span>
      </button>
    </h3>
    <slot v-if="!isFolded" />
    <div v-if="!isFolded" class="grid grid-flow-row-dense grid-cols-2 gap-x-5 gap-y-1">
      <DeclaredControls :declared="declared" :values="values" @rest="(id, value, name) => $emit('rest', id, value, name)">
        <template #rule="{ parameter: one, value, first }">
          <Rule
            :class="wide(first) ? 'col-span-2' : ''"
            :parameter="one"
            :value="value"
            :needles="needlesOf(one)"
            :band="band(one)"
            @ask="owner && movement.ask(owner, one.id)"
            @source="wire($event, one)"
            @move="$emit('move', one.id, $event)"
            @rest="$emit('rest', one.id, $event, one.name)"
          />
        </template>
      </DeclaredControls>
    </div>
  </section>
</template>
