<script setup lang="ts">
/** One piece of a recording: a click hears it; it is named, kept or dropped. */
import { nextTick, ref, watch } from "vue";

import TypedInPlace from "../../controls/TypedInPlace.vue";
import type { Piece } from "../../stores/pieces";
import { decibels, seconds } from "../../theme/words";

const props = defineProps<{ piece: Piece; index: number; naming: boolean }>();
defineEmits<{ choose: []; decide: [keep: boolean]; named: [text: string] }>();
const name = ref<InstanceType<typeof TypedInPlace>>();

watch(
  () => props.naming,
  async (begins) => {
    await nextTick();
    if (begins) void name.value?.begin();
  },
);
</script>

<template>
  <div class="flex h-full min-w-0 flex-1 cursor-pointer items-center gap-2" @click="$emit('choose')">
    <span v-if="piece.named" class="text-soft">{{ index + 1 }}</span>
    <TypedInPlace
      v-if="naming"
      ref="name"
      :shown="piece.name"
      :label="`Name of piece ${index + 1}`"
      entry-class="min-w-0 flex-1"
      shown-class="min-w-0 flex-1 truncate font-serif text-base leading-tight"
      @typed="(text) => $emit('named', text)"
    />
    <span
      v-else
      class="min-w-0 flex-1 truncate font-serif text-base leading-tight"
      :class="piece.kept ? '' : 'text-soft line-through'"
      :title="`${piece.name}: click hears it, N names it`"
      >{{ piece.named ? piece.name : `Piece ${index + 1}` }}</span
    >
    <span class="w-12 shrink-0 text-right text-xs text-soft" title="Highest level, dBFS">{{ decibels(piece.level_db) }}</span>
    <span class="w-14 shrink-0 text-right text-xs">{{ seconds(piece.end - piece.start) }}</span>
    <button
      class="quiet !px-1 !py-0"
      tabindex="-1"
      :aria-label="`${piece.kept ? 'Drop' : 'Keep'} ${piece.name}`"
      :title="piece.kept ? 'Drop (D)' : 'Keep (K)'"
      @click.stop="$emit('decide', !piece.kept)"
    >
      {{ piece.kept ? "Drop" : "Keep" }}
    </button>
  </div>
</template>
