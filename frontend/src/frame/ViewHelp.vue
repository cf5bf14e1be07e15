<script setup lang="ts">
/** Beside the title of a view: the handbook, at its page. */
import { useHandbook } from "../stores/handbook";

const book = useHandbook();
</script>

<template>
  <button
    class="quiet shrink-0 text-soft"
    title="The handbook about this page"
    aria-label="? Handbook"
    @click="book.show(String($route.name ?? ''))"
  >
    ?
  </button>
</template>
