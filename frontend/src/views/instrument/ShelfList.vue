<script setup lang="ts">
/** The shelf as a short list: a waveform a line, heard with a click, chosen with another. */
import { computed, onMounted, ref } from "vue";

import Waveform from "../../charts/Waveform.vue";
import { useField } from "../../stores/field";
import { useLive } from "../../stores/live";
import { duration } from "../../theme/words";

defineEmits<{ pick: [recording: number] }>();
const field = useField();
const live = useLive();
const wanted = ref("");
const shown = computed(() => {
  const word = wanted.value.trim().toLowerCase();
  return field.recordings.filter(({ name, tags }) => !word || [name, ...tags].some((one) => one.toLowerCase().includes(word)));
});
onMounted(() => void (field.loaded || field.load()));
</script>

<template>
  <div class="flex flex-col">
    <input v-model="wanted" class="field w-full" type="search" placeholder="Search the shelf" aria-label="Search the shelf" @keydown.stop />
    <ul class="mt-2 min-h-0 flex-1 overflow-y-auto">
      <li v-for="one in shown" :key="one.id" class="flex items-center gap-3 border-b border-hairline py-1">
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
          <span class="w-14 text-right text-soft">{{ one.measured.root_note ?? "no pitch" }}</span>
          <span class="w-14 text-right text-soft">{{ duration(one.measured.duration_s) }}</span>
        </button>
      </li>
      <li v-if="!shown.length" class="py-3 text-soft">
        {{ field.recordings.length ? "Nothing on the shelf is called that." : "The shelf is empty: add recordings in Field." }}
      </li>
    </ul>
  </div>
</template>
