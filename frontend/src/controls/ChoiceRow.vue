<script setup lang="ts">
/** A choice of the registry: its name, and its words side by side. */
import { computed } from "vue";

import type { Choice } from "../api/types";
import Segments from "./Segments.vue";

const props = defineProps<{ choice: Choice; value: string }>();
defineEmits<{ choose: [value: string] }>();
const options = computed(() => props.choice.options.map((word) => ({ value: word, word })));
const many = computed(() => props.choice.options.length > 5);
</script>

<template>
  <div class="flex min-w-0 flex-wrap items-baseline gap-x-2" :title="choice.help" :data-parameter="choice.id">
    <span class="text-soft">{{ choice.name }}</span>
    <select
      v-if="many"
      class="field !py-0.5"
      :aria-label="`${choice.group} ${choice.name}`"
      :value="value"
      @change="$emit('choose', ($event.target as HTMLSelectElement).value)"
    >
      <option v-for="word in choice.options" :key="word">{{ word }}</option>
    </select>
    <Segments
      v-else
      tight
      :model-value="value"
      :label="`${choice.group} ${choice.name}`"
      :options="options"
      @update:model-value="$emit('choose', $event)"
    />
  </div>
</template>
