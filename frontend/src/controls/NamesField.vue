<script setup lang="ts">
/** The template for the names of files; what is typed stays while the rest comes back from the server. */
import { ref, watch } from "vue";

const props = defineProps<{ names: string; fields: string }>();
const emit = defineEmits<{ change: [names: string] }>();
const typed = ref(props.names);
watch(
  () => props.names,
  (now) => (typed.value = now),
);

function done(): void {
  const text = typed.value.trim();
  if (text && text !== props.names) emit("change", text);
  else typed.value = props.names;
}
</script>

<template>
  <label class="flex items-center gap-2">
    <span class="text-soft">names</span>
    <input v-model="typed" class="field min-w-0 flex-1" maxlength="120" :title="fields" @change="done" />
  </label>
</template>
