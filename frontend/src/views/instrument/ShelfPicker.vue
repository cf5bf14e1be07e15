<script setup lang="ts">
/** A sound from the shelf: search, hear, choose. */
import DialogFrame from "../../frame/DialogFrame.vue";

import ShelfList from "./ShelfList.vue";

defineProps<{ open: boolean; title: string }>();
defineEmits<{ close: []; pick: [recording: number] }>();
</script>

<template>
  <DialogFrame :open="open" :title="title" width="w-[34rem]" @close="$emit('close')">
    <ShelfList class="mt-3 min-h-0" @pick="$emit('pick', $event)" />
  </DialogFrame>
</template>
