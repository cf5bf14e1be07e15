<script setup lang="ts">
/** A button that opens a menu of what is in its slot. */
import { Menu, MenuButton, MenuItems } from "@headlessui/vue";
import { ref } from "vue";

import { menuPlace } from "./menuPlace";

const props = withDefaults(
  defineProps<{ word: string; label?: string; buttonClass?: string; align?: "left" | "right"; width?: string; itemsClass?: string }>(),
  {
    buttonClass: "quiet",
    align: "right",
    width: "w-64",
  },
);
const emit = defineEmits<{ open: [] }>();
const place = ref({});

/** It is fixed to the window, since panels that scroll would cut it off. */
function put(event: Event): void {
  place.value = menuPlace((event.currentTarget as Element).getBoundingClientRect(), props.align, window);
  emit("open");
}
</script>

<template>
  <Menu as="div">
    <MenuButton :class="buttonClass" :aria-label="label" @click="put" @keydown="put">{{ word }}</MenuButton>
    <MenuItems class="floating fixed z-30 overflow-auto py-1 outline-none" :class="[width, itemsClass]" :style="place">
      <slot />
    </MenuItems>
  </Menu>
</template>
