<script setup lang="ts">
/** One piece of a recording: a click hears it; it is named, kept or dropped. */
import { computed, nextTick, ref } from "vue";

import TypedInPlace from "../../controls/TypedInPlace.vue";
import type { Piece } from "../../stores/pieces";
import { decibels, seconds } from "../../theme/words";

const props = defineProps<{ piece: Piece; index: number; chosen: boolean }>();
defineEmits<{ choose: []; decide: [keep: boolean]; named: [text: string] }>();
const name = ref<InstanceType<typeof TypedInPlace>>();
const editing = ref(false);

async function beginNaming(): Promise<void> {
  editing.value = true;
  await nextTick();
  void name.value?.begin();
}

defineExpose({ index: computed(() => props.index), beginNaming });
</script>

<template>
  <li
    class="flex h-[30px] items-center gap-2 px-2"
    :class="chosen ? 'bg-sheet' : ''"
    :data-chosen="chosen"
    :data-kept="piece.kept"
    @click="$emit('choose')"
  >
    <span v-if="piece.named" class="text-soft">{{ index + 1 }}</span>
    <TypedInPlace
      v-if="editing"
      ref="name"
      :shown="piece.name"
      :label="`Name of piece ${index + 1}`"
      entry-class="min-w-0 flex-1"
      shown-class="min-w-0 flex-1 truncate font-serif text-base leading-tight"
      @typed="(text) => ((editing = false), $emit('named', text))"
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
  </li>
</template>
