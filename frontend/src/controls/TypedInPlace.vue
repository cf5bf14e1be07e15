<script setup lang="ts">
/** Text that is changed where it stands: click, Enter or F2; Enter keeps, Escape does not. */
import { nextTick, ref } from "vue";

const props = defineProps<{
  shown: string;
  start?: string;
  label: string;
  help?: string;
  entryClass?: string;
  shownClass?: string;
  placeholder?: string;
  longest?: number;
}>();
const emit = defineEmits<{ typed: [text: string] }>();
const editing = ref(false);
const text = ref("");
const input = ref<HTMLInputElement>();

async function begin(): Promise<void> {
  text.value = props.start ?? props.shown;
  editing.value = true;
  await nextTick();
  input.value?.select();
}

function end(): void {
  if (!editing.value) return;
  editing.value = false;
  emit("typed", text.value.trim());
}

defineExpose({ begin });
</script>

<template>
  <input
    v-if="editing"
    ref="input"
    v-model="text"
    :maxlength="longest ?? 120"
    class="rounded-sm border border-focus bg-sheet px-1"
    :class="entryClass"
    :aria-label="label"
    :placeholder="placeholder"
    @keydown.enter="end"
    @keydown.esc.stop="editing = false"
    @keydown.stop
    @blur="end"
    @click.stop
  />
  <button
    v-else
    class="cursor-text rounded-sm text-left hover:bg-[var(--key-shade)]"
    :class="shownClass"
    :title="help"
    @click.stop="begin"
    @keydown.f2.stop.prevent="begin"
  >
    <slot>{{ shown }}</slot>
  </button>
</template>
