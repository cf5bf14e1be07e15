<script setup lang="ts">
/** The rules and choices of one heading of the registry; those that do not matter now are left out. */
import { computed } from "vue";

import { type Declared, isChoice, type Parameter, type Value } from "../../api/client";
import ChoiceRow from "../../controls/ChoiceRow.vue";
import Rule from "../../controls/Rule.vue";
import type { Settings } from "../../stores/instrument";

const props = defineProps<{ name: string; declared: Declared[]; values: Settings; needles?: Record<string, number[]> }>();
defineEmits<{ move: [id: string, value: Value]; rest: [id: string, value: Value, name: string] }>();

const shown = computed(() =>
  props.declared.filter(({ when }) => !when || when[1].includes(String(props.values[when[0]]))),
);
const rules = computed(() => shown.value.filter((one): one is Parameter => !isChoice(one)));
/** The first rule of an odd number stands alone: it is the one that matters most. */
const wide = (one: Parameter) => rules.value.length % 2 === 1 && rules.value[0] === one;
const numeric = (p: Parameter) => Number(props.values[p.id] ?? p.default);
</script>

<template>
  <section :aria-label="name">
    <h3 class="heading mb-1">{{ name }}</h3>
    <slot />
    <div class="grid grid-flow-row-dense grid-cols-2 gap-x-5 gap-y-1">
      <template v-for="one in shown" :key="one.id">
        <ChoiceRow v-if="isChoice(one)" class="col-span-2" :choice="one" :value="String(values[one.id] ?? one.default)" @choose="$emit('rest', one.id, $event, one.name)" />
        <Rule v-else :class="wide(one) ? 'col-span-2' : ''" :parameter="one" :value="numeric(one)" :needles="needles?.[one.id]" @move="$emit('move', one.id, $event)" @rest="$emit('rest', one.id, $event, one.name)" />
      </template>
    </div>
  </section>
</template>
