<script setup lang="ts">
/** One thing to choose in a menu: a link where it has an address, else a button. */
import { MenuItem } from "@headlessui/vue";

defineOptions({ inheritAttrs: false });
defineProps<{ disabled?: boolean; href?: string }>();
</script>

<template>
  <MenuItem v-slot="{ active }" :disabled="disabled">
    <component :is="href ? 'a' : 'button'" class="item" :class="{ active }" v-bind="$attrs" :href="href" :disabled="disabled || undefined">
      <slot />
    </component>
  </MenuItem>
</template>
