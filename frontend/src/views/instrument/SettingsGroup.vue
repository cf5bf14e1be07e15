<script setup lang="ts">
/** The rules and choices of one heading of the registry; those that do not matter now are left out. */
import { computed } from "vue";

import { type Declared, isChoice, type Parameter, type Value } from "../../api/client";
import ChoiceRow from "../../controls/ChoiceRow.vue";
import Rule from "../../controls/Rule.vue";
import { type Settings, useInstrument } from "../../stores/instrument";
import { useMovement } from "../../stores/movement";

const props = defineProps<{ name: string; declared: Declared[]; values: Settings; needles?: Record<string, number[]>; owner?: string }>();
const instrument = useInstrument();
const movement = useMovement();
defineEmits<{ move: [id: string, value: Value]; rest: [id: string, value: Value, name: string] }>();

/** Whether a setting matters now: what it depends on has to matter as well. */
function matters({ when }: Declared): boolean {
  if (!when) return true;
  const on = props.declared.find(({ id }) => id === when[0]);
  return when[1].includes(String(props.values[when[0]])) && (!on || matters(on));
}
const shown = computed(() => props.declared.filter(matters));
const rules = computed(() => shown.value.filter((one): one is Parameter => !isChoice(one)));
/** The first rule of an odd number stands alone: it is the one that matters most. */
const wide = (one: Parameter) => rules.value.length % 2 === 1 && rules.value[0] === one;
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
const numeric = (p: Parameter) => Number(props.values[p.id] ?? p.default);
</script>

<template>
  <section :aria-label="name">
    <h3 class="heading mb-1">{{ name }}</h3>
    <slot />
    <div class="grid grid-flow-row-dense grid-cols-2 gap-x-5 gap-y-1">
      <template v-for="one in shown" :key="one.id">
        <ChoiceRow v-if="isChoice(one)" class="col-span-2" :choice="one" :value="String(values[one.id] ?? one.default)" @choose="$emit('rest', one.id, $event, one.name)" />
        <Rule v-else :class="wide(one) ? 'col-span-2' : ''" :parameter="one" :value="numeric(one)" :needles="needlesOf(one)" :band="band(one)" @ask="owner && movement.ask(owner, one.id)" @source="wire($event, one)" @move="$emit('move', one.id, $event)" @rest="$emit('rest', one.id, $event, one.name)" />
      </template>
    </div>
  </section>
</template>
