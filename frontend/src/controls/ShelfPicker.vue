<script setup lang="ts">
/** A sound from the shelf: search, hear, choose. */
import DialogFrame from "../frame/DialogFrame.vue";
import ShelfList from "./ShelfList.vue";

defineProps<{ open: boolean; title: string }>();
defineEmits<{ close: []; pick: [recording: number] }>();
</script>

<template>
  <DialogFrame :open="open" :title="title" width="w-[36rem]" @close="$emit('close')">
    <ShelfList class="mt-3 h-[32rem]" @pick="$emit('pick', $event)" />
  </DialogFrame>
</template>
