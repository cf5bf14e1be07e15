<script setup lang="ts">
/** The shelf as a short list: a waveform a line, heard with a click, chosen with another. */
import { useVirtualList } from "@vueuse/core";
import { computed, onMounted, ref } from "vue";

import Waveform from "../../charts/Waveform.vue";
import { useShelf } from "../../stores/shelf";
import { useLive } from "../../stores/live";
import { duration } from "../../theme/words";

defineEmits<{ pick: [recording: number] }>();
const shelf = useShelf();
const live = useLive();
const wanted = ref("");
const shown = computed(() => {
  const word = wanted.value.trim().toLowerCase();
  return shelf.recordings.filter(({ name, tags }) => !word || [name, ...tags].some((one) => one.toLowerCase().includes(word)));
});
const { list, containerProps, wrapperProps } = useVirtualList(shown, { itemHeight: 44, overscan: 6 });
onMounted(() => void (shelf.loaded || shelf.load()));
</script>

<template>
  <div class="flex flex-col">
    <input v-model="wanted" class="field w-full" type="search" placeholder="Search the shelf" aria-label="Search the shelf" @keydown.stop />
    <div class="mt-2 min-h-0 flex-1" v-bind="containerProps">
      <ul v-bind="wrapperProps">
        <li v-for="{ data: one } in list" :key="one.id" class="flex h-11 items-center gap-3 border-b border-hairline">
          <button
            class="quiet !px-1 text-xs"
            :title="`Hear ${one.name}`"
            @click="live.listeningTo === one.digest ? live.hush() : live.listen(one.digest, 0)"
          >
            {{ live.listeningTo === one.digest ? "Stop" : "Hear" }}
          </button>
          <button
            class="flex min-w-0 flex-1 items-center gap-3 text-left hover:bg-[var(--key-shade)]"
            :data-pick="one.name"
            @click="$emit('pick', one.id)"
          >
            <span class="w-40 truncate font-serif text-base">{{ one.name }}</span>
            <span class="h-7 flex-1"><Waveform :digest="one.digest" colour="wave" /></span>
            <span class="w-14 text-right text-soft">{{ one.root_note ?? "no pitch" }}</span>
            <span class="w-14 text-right text-soft">{{ duration(one.duration_s) }}</span>
          </button>
        </li>
        <li v-if="!shown.length" class="py-3 text-soft">
          {{ shelf.recordings.length ? "Nothing on the shelf is called that." : "The shelf is empty: add recordings in Field." }}
        </li>
      </ul>
    </div>
  </div>
</template>
