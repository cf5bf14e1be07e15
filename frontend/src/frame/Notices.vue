<script setup lang="ts">
/** What just happened, a line each, in a place of its own: it covers nothing. */
import { useNotices } from "../stores/notices";

const store = useNotices();
</script>

<template>
  <div class="relative z-50 shrink-0" aria-live="polite">
    <div
      v-for="notice in store.notices"
      :key="notice.id"
      class="flex min-h-8 items-center gap-3 border-t border-l-4 border-hairline bg-sheet px-4"
      :class="notice.tone === 'bad' ? 'border-l-bad' : 'border-l-focus'"
      data-testid="notice"
    >
      <p class="flex-1 py-1"><strong v-if="notice.tone === 'bad'" class="text-bad">Not done. </strong>{{ notice.text }}</p>
      <button v-if="notice.offer" class="quiet font-semibold text-focus" @click="(notice.offer.take(), store.dismiss(notice.id))">
        {{ notice.offer.word }}
      </button>
      <button class="quiet text-soft" aria-label="Close this notice" @click="store.dismiss(notice.id)">Close</button>
    </div>
  </div>
</template>
