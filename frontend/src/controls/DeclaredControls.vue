<script setup lang="ts">
/** Whatever is declared, drawn: choices as words, numbers as rules, notes as notes; only what matters now. */
import { computed } from "vue";

import { type Declared, isChoice, type Parameter, type Value } from "../api/types";
import ChoiceRow from "./ChoiceRow.vue";
import { matters } from "./declared";
import NoteEntry from "./NoteEntry.vue";
import Rule from "./Rule.vue";

const props = defineProps<{ declared: readonly Declared[]; values: object }>();
defineEmits<{ move: [id: string, value: number]; rest: [id: string, value: Value, name: string] }>();
defineSlots<{ rule(slot: { parameter: Parameter; value: number; first: boolean }): unknown }>();

const shown = computed(() => props.declared.filter((one) => matters(one, props.declared, props.values)));
const rules = computed(() => shown.value.filter((one): one is Parameter => !isChoice(one)));
const valueOf = (one: Declared) => (props.values as Record<string, unknown>)[one.id] ?? one.default;
const numeric = (one: Parameter) => Number(valueOf(one));
</script>

<template>
  <template v-for="one in shown" :key="one.id">
    <ChoiceRow
      v-if="isChoice(one)"
      class="col-span-full"
      :choice="one"
      :value="String(valueOf(one))"
      @choose="$emit('rest', one.id, $event, one.name)"
    />
    <slot v-else name="rule" :parameter="one" :value="numeric(one)" :first="one === rules[0]">
      <div v-if="one.unit === 'note'" class="flex items-baseline justify-between">
        <span class="text-soft" :title="one.help">{{ one.name }}</span>
        <NoteEntry
          :note="numeric(one)"
          :label="one.name"
          :help="one.help"
          @change="$event !== null && $emit('rest', one.id, $event, one.name)"
        />
      </div>
      <Rule
        v-else
        :parameter="one"
        :value="numeric(one)"
        @move="$emit('move', one.id, $event)"
        @rest="$emit('rest', one.id, $event, one.name)"
      />
    </slot>
  </template>
</template>
