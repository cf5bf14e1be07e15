<script setup lang="ts">
/** Taking files off a recorder's card: takes with notes and timecode, chosen and brought in. */
import DialogFrame from "../../frame/DialogFrame.vue";
import { computed, ref, watch } from "vue";

import { api, wanted } from "../../api/client";
import type { Card } from "../../api/types";
import { useField } from "../../stores/field";
import { useJobs } from "../../stores/jobs";
import { useNotices } from "../../stores/notices";
import { duration } from "../../theme/words";

const props = defineProps<{ open: boolean }>();
const emit = defineEmits<{ close: [] }>();
const field = useField();
const card = ref<Card | null>(null);
const picked = ref<string[]>([]);
const busy = ref(false);
const good = computed(() => card.value?.files.filter((file) => !file.problem) ?? []);

watch(
  () => props.open,
  (open) => open && void look(() => wanted(api.GET("/api/card"))),
);

async function look(ask: () => Promise<Card>): Promise<void> {
  busy.value = true;
  try {
    card.value = await ask();
    picked.value = good.value.map(({ name }) => name);
  } catch (error) {
    useNotices().complain(error);
  }
  busy.value = false;
}

async function bring(): Promise<void> {
  try {
    const found = await wanted(api.POST("/api/card/import", { body: { names: picked.value } }));
    for (const text of found.problems) useNotices().complain(text);
    for (const job of found.jobs) useJobs().follow(job, (done) => void field.arrived(done.result.recording));
    emit("close");
  } catch (error) {
    useNotices().complain(error);
  }
}
</script>

<template>
  <DialogFrame :open="open" title="Recorder's card" width="w-[48rem]" @close="emit('close')">
    <p class="text-soft">
      A simulated card. For a real one, choose its folder under Add recordings: scene, take, note, place and timecode are read in the same
      way.
    </p>
    <div v-if="card && !card.present" class="mt-4">
      <button class="action-main" :disabled="busy" @click="look(() => wanted(api.POST('/api/card')))">
        {{ busy ? "Putting it in" : "Put the simulated card in" }}
      </button>
    </div>
    <ul v-else-if="card" class="mt-3 min-h-0 flex-1 overflow-auto border-y border-hairline">
      <li v-for="file in card.files" :key="file.name" class="border-b border-hairline py-1.5 last:border-b-0" :data-card-file="file.name">
        <label
          class="grid grid-cols-[1.2rem_6.5rem_4rem_minmax(0,1fr)_6rem_4.200rem] items-baseline gap-2"
          :class="file.problem ? '' : 'cursor-pointer'"
        >
          <input v-model="picked" type="checkbox" :value="file.name" :disabled="!!file.problem" />
          <span class="font-medium">{{ file.name }}</span>
          <template v-if="file.problem"><span class="col-span-4 text-bad">{{ file.problem }}</span></template>
          <template v-else>
            <span class="text-soft">{{ file.scene }} / {{ file.take }}</span>
            <span class="truncate" :title="`${file.note}. ${file.place}`"
              >{{ file.note }}<span class="text-soft">, {{ file.place }}</span></span
            >
            <span class="text-soft">{{ file.timecode }}</span>
            <span class="text-right">{{ duration(file.duration_s) }}</span>
          </template>
        </label>
      </li>
    </ul>
    <template v-if="card?.present" #actions
      ><span class="flex-1 text-soft">The card itself is left as it is.</span>
      <button class="action-main" :disabled="!picked.length" @click="bring">Bring in {{ picked.length }}</button></template
    >
  </DialogFrame>
</template>
