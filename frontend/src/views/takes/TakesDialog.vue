<script setup lang="ts">
/** All takes, found by name or instrument, one to be chosen. */
import { computed, ref } from "vue";

import type { TakeLine } from "../../api/types";
import { clock } from "../../charts/takeLine";
import { useRows } from "../../composables/rows";
import DialogFrame from "../../frame/DialogFrame.vue";
import { useTakes } from "../../stores/takes";
import { ago } from "../../theme/words";

const ROW_PX = 38;
withDefaults(defineProps<{ open: boolean; title?: string }>(), { title: "All takes" });
const emit = defineEmits<{ close: []; show: [id: number] }>();
const takes = useTakes();
const query = ref("");
const found = computed(() => {
  const wanted = query.value.trim().toLowerCase();
  return takes.lines.filter((one) => !wanted || `${one.name} ${one.instrument_name}`.toLowerCase().includes(wanted));
});
const { list, containerProps, wrapperProps } = useRows(found, ROW_PX);

const passes = (one: TakeLine) => (one.backing ? takes.lines.filter(({ backing }) => backing === one.backing).length : 0);
const more = (one: TakeLine) =>
  [
    one.origin === "kept" ? "kept after playing" : one.origin === "comp" ? "put together" : "",
    passes(one) > 1 ? `one of ${passes(one)} passes` : one.backing ? "played along" : "",
    one.changed ? "hands changed" : "",
    one.kept ? `${one.kept} kept` : "",
  ]
    .filter(Boolean)
    .join(", ");
</script>

<template>
  <DialogFrame :open="open" :title="title" width="w-[44rem]" @close="emit('close')">
    <input v-model="query" class="field mt-3 w-full" type="search" placeholder="Find a take" aria-label="Find a take" />
    <div class="mt-2 h-[26rem]" v-bind="containerProps" tabindex="0" role="group" aria-label="Takes">
      <ul v-bind="wrapperProps">
        <li v-for="{ data: one } in list" :key="one.id" class="h-[38px]">
          <button
            class="flex h-full w-full items-center gap-4 rounded-sm px-2 text-left hover:bg-[var(--key-shade)]"
            :class="one.id === takes.id ? 'bg-paper font-medium' : ''"
            @click="emit('show', one.id)"
          >
            <span class="w-44 truncate font-serif text-base">{{ one.name }}</span>
            <span class="w-40 truncate">{{ one.instrument_name }}</span>
            <span class="w-14 text-right">{{ clock(one.seconds) }}</span>
            <span class="min-w-0 flex-1 truncate text-soft">{{ more(one) }}</span>
            <span class="text-soft">{{ ago(one.began) }}</span>
          </button>
        </li>
      </ul>
      <p v-if="!found.length" class="p-3 text-soft">{{ query ? "No take is called that." : "Nothing has been recorded yet." }}</p>
    </div>
  </DialogFrame>
</template>
