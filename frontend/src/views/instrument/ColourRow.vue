<script setup lang="ts">
/** The sound that lends a layer its outline: chosen, swapped, taken away. It is never heard itself. */
import type { Layer } from "../../api/types";
import { computed, ref } from "vue";

import { useInstrument } from "../../stores/instrument";
import ShelfPicker from "../../controls/ShelfPicker.vue";

const props = defineProps<{ layer: Layer; index: number }>();
const instrument = useInstrument();
const picking = ref(false);
const colour = computed(() => props.layer.effects.find(({ kind }) => kind === "colour"));

async function pick(recording: number): Promise<void> {
  picking.value = false;
  await instrument.act({ do: "colour", layer: props.index, recording });
}
</script>

<template>
  <p class="mb-1 flex items-baseline gap-2">
    <template v-if="colour">
      <span class="text-soft">by</span>
      <span class="min-w-0 flex-1 truncate font-serif" data-testid="coloured-by" title="It is not heard itself">{{
        colour.sound?.name || "a recording"
      }}</span>
      <button class="text-soft hover:text-ink" @click="picking = true">Swap</button>
      <button
        class="text-soft hover:text-ink"
        aria-label="Take the colouring away"
        title="Take the colouring away"
        @click="instrument.act({ do: 'colour', layer: index, recording: null })"
      >
        &times;
      </button>
    </template>
    <button
      v-else
      class="quiet -ml-1 !px-1 text-focus"
      title="Its spectrum is laid over this layer as a filter; the sound itself is not heard"
      @click="picking = true"
    >
      Colour it by another sound
    </button>
    <ShelfPicker :open="picking" title="Choose a sound to colour by" @close="picking = false" @pick="pick" />
  </p>
</template>
