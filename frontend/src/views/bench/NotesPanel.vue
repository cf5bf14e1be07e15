<script setup lang="ts">
/** Notes that sound at once, each with how far it is off. */
import { ref, watch } from "vue";

import { api, wanted } from "../../api/client";
import type { NoteFound } from "../../api/types";
import { useLive } from "../../stores/live";
import { noteName } from "../../theme/words";

const props = defineProps<{ soundKey: string; from: number; to: number }>();
const live = useLive();
const notes = ref<NoteFound[]>([]);
const explained = ref(0);
const problem = ref("");

async function find(): Promise<void> {
  try {
    const params = { path: { digest: props.soundKey }, query: { start: props.from, end: Math.min(props.to, props.from + 60) } };
    const found = await wanted(api.GET("/api/sounds/{digest}/notes", { params }));
    notes.value = found.notes;
    explained.value = found.explained;
    problem.value = "";
  } catch (error) {
    notes.value = [];
    problem.value = error instanceof Error ? error.message : String(error);
  }
}

watch(() => [props.soundKey, props.from, props.to], find, { immediate: true });
</script>

<template>
  <section aria-label="Notes sounding">
    <div class="flex items-baseline justify-between">
      <h2 class="font-serif text-lg">Notes sounding</h2>
      <span v-if="notes.length" class="text-soft">{{ Math.round(100 * explained) }} % of the sound</span>
    </div>
    <p v-if="problem" class="text-soft">{{ problem }}</p>
    <ul>
      <li v-for="one in notes" :key="one.hz" class="flex items-center gap-3 py-0.5">
        <span class="w-20 font-semibold">{{ noteName(one.note) }}</span>
        <span class="flex-1 text-soft">{{ one.hz.toFixed(1) }} Hz, {{ one.level_db.toFixed(0).replace("-", "−") }} dB</span>
        <button
          class="quiet text-focus"
          :aria-label="`Sound ${noteName(one.note)} beside it`"
          @click="live.listeningTo ? live.hush() : live.listen(soundKey, from, { tone: one.hz })"
        >
          Sound
        </button>
      </li>
    </ul>
  </section>
</template>
