<script setup lang="ts">
/** What was made on the Bench goes on the shelf, or becomes an instrument. */
defineProps<{ what: string; including: string; plays: string; disabled: boolean }>();
defineEmits<{ keep: []; grow: [] }>();
</script>

<template>
  <div class="flex shrink-0 flex-col gap-2 border-t border-hairline px-5 pt-2 pb-3">
    <button
      class="action-main py-2"
      :disabled="disabled"
      :title="`Put the ${what} as it is now on the shelf, with its ${including}`"
      @click="$emit('keep')"
    >
      Keep on the shelf
    </button>
    <button class="action py-1.5" :disabled="disabled" :title="`Keeps it, and makes an instrument that ${plays}`" @click="$emit('grow')">
      Grow an instrument from it
    </button>
  </div>
</template>
