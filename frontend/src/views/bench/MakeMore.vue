<script setup lang="ts">
/** What else a recording can become: a loop, a tone, a wavetable, a spectrum. */
import { computed, ref } from "vue";

import { number } from "../../api/types";
import { useBench } from "../../stores/bench";
import { useProject } from "../../stores/project";
import { useShelf } from "../../stores/shelf";
import { noteOf } from "../../theme/words";
import SpectrumButton from "./SpectrumButton.vue";
import TableDialog from "./TableDialog.vue";

/** Where a tone is taken from, in seconds, unless there is a loop; whether that loop lies open. */
const props = defineProps<{ at: number; shrinks: boolean }>();
const bench = useBench();
const project = useProject();
const shelf = useShelf();
const tabling = ref(false);
const line = computed(() => shelf.byId.get(bench.recording?.id ?? -1));
const plain = computed(() => !bench.steps.some((one) => one.do === "loop" || one.do === "tone"));

async function toneHere(): Promise<void> {
  const loop = bench.steps.find((one) => one.do === "loop");
  const root = bench.after?.root_hz;
  const note = root ? Math.round(noteOf(root, project.settings.tuning)) : 48;
  const place = loop ? number(loop, "start") : props.at;
  const tone = { do: "tone", on: true, place, note: Math.min(115, Math.max(12, note)), cycles: 1, seconds: 2 };
  // the loop shrinks to the tone: it stays in the recipe no longer
  await bench.store([...bench.steps.filter((one) => one.do !== "loop" && one.do !== "tone"), tone], "Tone");
  bench.choose(bench.steps.length - 1);
}
</script>

<template>
  <div v-if="plain" class="flex flex-wrap gap-2">
    <button class="action" title="Loops that close, ranked" @click="bench.add('loop')">Find loops</button>
    <button class="action" title="Any sound becomes a tone: a loop shrunk to one cycle of a note" @click="toneHere">Make a tone</button>
    <button class="action" title="Frames along the recording, to be swept by hand or by anything" @click="tabling = true">Wavetable</button>
    <SpectrumButton class="action" :recording="bench.recording!.id" word="Spectrum" />
    <TableDialog :open="tabling" :recordings="line ? [line] : []" @close="tabling = false" />
  </div>
  <button v-else-if="shrinks" class="action self-start" title="Shrink the loop to one cycle of a note" @click="toneHere">
    Shrink to a tone
  </button>
</template>
