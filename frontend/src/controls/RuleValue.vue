<script setup lang="ts">
/** The value of a parameter in words, which may be typed. */
import { nextTick, ref } from "vue";

import type { Parameter } from "../api/types";
import { spoken, typed } from "./scale";

const props = defineProps<{ parameter: Parameter; value: number }>();
const emit = defineEmits<{ set: [value: number] }>();
const entry = ref<HTMLInputElement>();
const typing = ref(false);
const text = ref("");

async function type(): Promise<void> {
  text.value = spoken(props.parameter, props.value);
  typing.value = true;
  await nextTick();
  entry.value?.select();
}

function typedIn(): void {
  if (!typing.value) return;
  typing.value = false;
  const value = typed(props.parameter, text.value);
  if (value !== null) emit("set", value);
}

defineExpose({ type });
</script>

<template>
  <input
    v-if="typing"
    ref="entry"
    v-model="text"
    class="w-full max-w-24 rounded-sm border border-focus bg-sheet px-1 text-right font-semibold"
    :aria-label="`${parameter.group} ${parameter.name}, typed`"
    @keydown.enter.stop="typedIn"
    @keydown.esc.stop="typing = false"
    @keydown.stop
    @blur="typedIn"
  />
  <button v-else class="font-semibold whitespace-nowrap" tabindex="-1" :title="`Type a value for ${parameter.name}`" @click="type">
    {{ spoken(parameter, value) }}
  </button>
</template>
