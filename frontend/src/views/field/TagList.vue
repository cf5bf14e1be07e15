<script setup lang="ts">
/** Words laid on a sound, to find it by. */
import { ref } from "vue";

import type { Recording } from "../../api/types";
import { useField } from "../../stores/field";
import { useShelf } from "../../stores/shelf";

const props = defineProps<{ recording: Recording }>();
const field = useField();
const shelf = useShelf();
const text = ref("");

function add(): void {
  const tag = text.value.trim();
  text.value = "";
  if (tag && !props.recording.tags.includes(tag)) void field.edit(props.recording, { tags: [...props.recording.tags, tag] });
}

function remove(tag: string): void {
  void field.edit(props.recording, { tags: props.recording.tags.filter((one) => one !== tag) });
}
</script>

<template>
  <div class="flex flex-wrap items-center gap-1">
    <span v-for="tag in recording.tags" :key="tag" class="rounded-sm border border-hairline px-1.5 text-xs"
      >{{ tag }} <button :aria-label="`Remove the tag ${tag}`" @click="remove(tag)">×</button></span
    >
    <input
      v-model="text"
      class="min-w-0 flex-1 border-b border-hairline bg-transparent px-1 placeholder:text-soft"
      list="known-tags"
      maxlength="40"
      placeholder="add a tag"
      aria-label="Add a tag"
      @keydown.enter.prevent="add"
      @keydown.stop
      @change="add"
    />
    <datalist id="known-tags"><option v-for="tag in shelf.tags" :key="tag" :value="tag" /></datalist>
  </div>
</template>
