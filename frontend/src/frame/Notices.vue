<script setup lang="ts">
import { useNotices } from "../stores/notices";

const store = useNotices();
</script>

<template>
  <div
    class="pointer-events-none fixed bottom-28 left-1/2 z-30 flex w-[34rem] max-w-[90vw] -translate-x-1/2 flex-col gap-2"
    aria-live="polite"
  >
    <div
      v-for="notice in store.notices"
      :key="notice.id"
      class="floating pointer-events-auto flex items-start gap-3 border-l-4 px-4 py-2.5"
      :class="notice.tone === 'bad' ? 'border-l-bad' : 'border-l-focus'"
    >
      <p class="flex-1"><strong v-if="notice.tone === 'bad'" class="text-bad">Not done. </strong>{{ notice.text }}</p>
      <button v-if="notice.undo" class="font-semibold text-focus" @click="(notice.undo(), store.dismiss(notice.id))">Undo</button>
      <button class="text-soft" aria-label="Dismiss" @click="store.dismiss(notice.id)">Close</button>
    </div>
  </div>
</template>
