<script setup lang="ts">
/** What else a recording can become: a loop, a tone, a wavetable, a spectrum. */
import { computed, ref } from "vue";

import { api, wanted } from "../../api/client";
import { number } from "../../api/types";
import { useBench } from "../../stores/bench";
import { useNotices } from "../../stores/notices";
import { useShelf } from "../../stores/shelf";
import SpectrumButton from "./SpectrumButton.vue";
import TableDialog from "./TableDialog.vue";

/** Whether a loop lies open, which can be shrunk to a tone. */
defineProps<{ shrinks: boolean }>();
const bench = useBench();
const shelf = useShelf();
const tabling = ref(false);
const line = computed(() => shelf.byId.get(bench.recording?.id ?? -1));
const plain = computed(() => !bench.steps.some((one) => one.do === "loop" || one.do === "tone"));

async function toneHere(): Promise<void> {
  const loop = bench.steps.find((one) => one.do === "loop");
  try {
    const digest = bench.after?.key ?? bench.recording!.digest;
    const found = await wanted(api.GET("/api/sounds/{digest}/tone", { params: { path: { digest } } }));
    const place = loop ? number(loop, "start") : found.place;
    // the loop shrinks to the tone: it stays in the recipe no longer
    await bench.add("tone", { place, note: found.note }, (one) => one.do !== "loop" && one.do !== "tone");
  } catch (error) {
    useNotices().complain(error);
  }
}
</script>

<template>
  <div v-if="plain" class="-mx-1.5 flex flex-wrap text-focus">
    <button class="quiet" title="Loops that close, ranked" @click="bench.add('loop')">Find loops</button>
    <button class="quiet" :disabled="!bench.after" title="Any sound becomes a tone: a loop shrunk to one cycle of a note" @click="toneHere">
      Make a tone
    </button>
    <button class="quiet" title="Frames along the recording, to be swept by hand or by anything" @click="tabling = true">Wavetable</button>
    <SpectrumButton class="quiet" :recording="bench.recording!.id" word="Spectrum" />
    <TableDialog :open="tabling" :recordings="line ? [line] : []" @close="tabling = false" />
  </div>
  <button v-else-if="shrinks" class="quiet -ml-1.5 self-start text-focus" title="Shrink the loop to one cycle of a note" @click="toneHere">
    Shrink to a tone
  </button>
</template>
