<script setup lang="ts">
/** Names of several sounds by a template, seen before they are given. */
import { useLocalStorage, watchDebounced } from "@vueuse/core";
import { ref } from "vue";

import DialogFrame from "../../frame/DialogFrame.vue";
import { useMany } from "../../stores/many";
import { useShelf } from "../../stores/shelf";

const SHOWN = 8;

const props = defineProps<{ open: boolean; recordings: number[] }>();
const emit = defineEmits<{ close: [] }>();
const many = useMany();
const shelf = useShelf();
const template = useLocalStorage("bloom-names", "{name} {number}");
const begin = ref(1);
const names = ref<string[]>([]);
const problem = ref("");

watchDebounced(
  () => [props.open, template.value, begin.value] as const,
  async ([open, text, first]) => {
    if (!open) return;
    try {
      names.value = await many.names(props.recordings, text, first || 0);
      problem.value = "";
    } catch (error) {
      names.value = [];
      problem.value = error instanceof Error ? error.message : String(error);
    }
  },
  { debounce: 150, immediate: true },
);

async function rename(): Promise<void> {
  emit("close");
  await many.rename(props.recordings, names.value);
}
</script>

<template>
  <DialogFrame :open="open" :title="`Names of ${recordings.length} sounds`" width="w-[34rem]" @close="emit('close')">
    <form id="rename" class="mt-3 flex items-center gap-2" @submit.prevent="rename" @keydown.stop>
      <label class="text-soft" for="names">Names</label>
      <input id="names" v-model="template" class="field min-w-0 flex-1" maxlength="120" />
      <label class="text-soft" for="names-begin">numbers from</label>
      <input id="names-begin" v-model.number="begin" class="field w-20" type="number" min="0" max="99999" />
    </form>
    <p class="mt-2 text-soft">
      {name} {number} {root} {place} {date} {scene} {take} can stand in names. Files keep the names they came with.
    </p>
    <p v-if="problem" class="mt-2 border-l-4 border-bad pl-3" role="alert">{{ problem }}</p>
    <ul v-else class="mt-3" aria-label="What they will be called">
      <li v-for="(name, i) in names.slice(0, SHOWN)" :key="i" class="grid grid-cols-2 gap-3 border-b border-hairline py-0.5">
        <span class="truncate text-soft">{{ shelf.byId.get(recordings[i]!)?.name }}</span>
        <span class="truncate font-serif" :title="name">{{ name }}</span>
      </li>
      <li v-if="names.length > SHOWN" class="py-0.5 text-soft">and {{ names.length - SHOWN }} more</li>
    </ul>
    <template #actions>
      <button class="action-main" type="submit" form="rename" :disabled="names.length !== recordings.length">Rename</button>
    </template>
  </DialogFrame>
</template>
