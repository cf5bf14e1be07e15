<script setup lang="ts">
/** What the mix is for, where nothing in it is chosen. */
import { useMix } from "../../../stores/mix";

const mix = useMix();
</script>

<template>
  <aside class="flex w-[22rem] shrink-0 flex-col gap-3 border-l border-hairline px-4 pt-4" aria-label="About the mix">
    <h2 class="font-serif text-lg">The mix</h2>
    <p>
      Each layer is a stream. It passes its effects from left to right, then its level, and goes to the whole, to a shared stream, or past
      all of them.
    </p>
    <p>Click an effect for its picture and rules, or a stream's name for its level and where it goes.</p>
    <p class="text-soft">
      {{
        mix.streams.some(({ effects }) => effects.length)
          ? "The + after a stream adds one more."
          : "There is no effect yet: a + stands after each stream."
      }}
    </p>
  </aside>
</template>
