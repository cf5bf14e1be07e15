<script setup lang="ts">
/** An entry that keeps what is being typed, however often what it stands in is drawn anew meanwhile. */
import { ref, watch } from "vue";

const props = defineProps<{
  value: string | number;
  /** Lines of text; one line is an input. */
  rows?: number;
  /** Takes what was typed; gives false where it is none, and the entry shows again what stands. */
  take: (text: string) => boolean | void;
}>();
const draft = ref(String(props.value));

watch(
  () => props.value,
  (value) => (draft.value = String(value)),
);

const typed = (event: Event) => (draft.value = (event.target as HTMLInputElement | HTMLTextAreaElement).value);

function taken(): void {
  if (props.take(draft.value) === false) draft.value = String(props.value);
}
</script>

<template>
  <textarea v-if="rows" :value="draft" :rows="rows" @input="typed" @change="taken" />
  <input v-else :value="draft" @input="typed" @change="taken" />
</template>
