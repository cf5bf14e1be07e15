<script setup lang="ts" generic="T extends string | number">
/** A choice among a few words. */
import { RadioGroup, RadioGroupOption } from "@headlessui/vue";

defineProps<{ modelValue: T; options: { value: T; word: string; help?: string }[]; label: string; tight?: boolean }>();
defineEmits<{ "update:modelValue": [value: T] }>();
</script>

<template>
  <RadioGroup :model-value="modelValue" class="flex flex-wrap" :aria-label="label" @update:model-value="$emit('update:modelValue', $event)">
    <RadioGroupOption v-for="o in options" :key="o.value" v-slot="{ checked }" :value="o.value">
      <span
        class="block cursor-pointer rounded-sm"
        :class="[tight ? 'px-1.5 py-px' : 'px-2.5 py-1', checked ? 'bg-ink font-medium text-paper' : 'text-soft hover:text-ink']"
        :title="o.help"
        >{{ o.word }}</span
      >
    </RadioGroupOption>
  </RadioGroup>
</template>
