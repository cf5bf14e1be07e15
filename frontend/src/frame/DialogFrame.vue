<script setup lang="ts">
/** The frame of every dialog: its title, a way to close it, what it asks, and what can be done. It never runs off the screen. */
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/vue";

defineOptions({ inheritAttrs: false });
withDefaults(defineProps<{ open: boolean; title: string; width?: string; closable?: boolean }>(), { width: "w-[30rem]", closable: true });
defineEmits<{ close: [] }>();
defineSlots<{ default(): unknown; note(): unknown; actions(): unknown }>();
</script>

<template>
  <Dialog :open="open" class="relative z-40" @close="closable && $emit('close')">
    <div class="fixed inset-0 bg-black/35" aria-hidden="true" />
    <div class="fixed inset-0 grid place-items-center p-4">
      <DialogPanel v-bind="$attrs" class="floating flex max-h-full max-w-full flex-col p-5" :class="width">
        <div class="flex shrink-0 items-baseline gap-3">
          <DialogTitle class="min-w-0 truncate font-serif text-lg" :title="title">{{ title }}</DialogTitle>
          <span class="min-w-0 flex-1 text-soft"><slot name="note" /></span>
          <button class="quiet" :disabled="!closable" title="Esc" @click="$emit('close')">Close</button>
        </div>
        <slot />
        <div v-if="$slots.actions" class="mt-4 flex shrink-0 items-center justify-end gap-2"><slot name="actions" /></div>
      </DialogPanel>
    </div>
  </Dialog>
</template>
