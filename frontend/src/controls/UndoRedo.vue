<script setup lang="ts">
/** Undo and redo, as a pair that says what each would do. */
defineProps<{ undo: string | null; redo: string | null }>();
defineEmits<{ step: [way: "undo" | "redo"] }>();
</script>

<template>
  <span class="flex">
    <button class="quiet" :disabled="!undo" :title="`Undo ${undo ?? ''} (Ctrl Z)`" @click="$emit('step', 'undo')">Undo</button>
    <button class="quiet" :disabled="!redo" :title="`Redo ${redo ?? ''} (Ctrl Shift Z)`" @click="$emit('step', 'redo')">Redo</button>
  </span>
</template>
