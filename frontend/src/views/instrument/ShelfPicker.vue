<script setup lang="ts">
/** A sound from the shelf: search, hear, choose. */
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/vue";

import ShelfList from "./ShelfList.vue";

defineProps<{ open: boolean; title: string }>();
defineEmits<{ close: []; pick: [recording: number] }>();
</script>

<template>
  <Dialog :open="open" class="relative z-40" @close="$emit('close')">
    <div class="fixed inset-0 bg-ink/25" aria-hidden="true" />
    <div class="fixed inset-0 grid place-items-center p-6">
      <DialogPanel class="floating flex max-h-full w-[34rem] flex-col p-5">
        <DialogTitle class="font-serif text-lg">{{ title }}</DialogTitle>
        <ShelfList class="mt-3 min-h-0" @pick="$emit('pick', $event)" />
        <div class="mt-3 flex justify-end"><button class="quiet" @click="$emit('close')">Close</button></div>
      </DialogPanel>
    </div>
  </Dialog>
</template>
