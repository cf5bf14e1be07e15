<script setup lang="ts">
/** A button that opens a menu of what is in its slot. */
import { Menu, MenuButton, MenuItems } from "@headlessui/vue";
import type { StyleValue } from "vue";

withDefaults(defineProps<{ word: string; buttonClass?: string; listClass?: string; listStyle?: StyleValue }>(), {
  buttonClass: "quiet",
  listClass: "right-0 mt-1 w-64",
  listStyle: undefined,
});
defineEmits<{ open: [event: Event] }>();
</script>

<template>
  <Menu as="div" class="relative">
    <MenuButton :class="buttonClass" @click="$emit('open', $event)" @keydown="$emit('open', $event)">{{ word }}</MenuButton>
    <MenuItems
      class="floating z-30 max-h-[26rem] overflow-auto py-1 outline-none"
      :class="listClass.includes('fixed') ? listClass : `absolute ${listClass}`"
      :style="listStyle"
    >
      <slot />
    </MenuItems>
  </Menu>
</template>
