<script setup lang="ts">
/** What is beside a take: its moments, the one that is chosen, what it can be played again to, its hands. */
import { useLocalStorage } from "@vueuse/core";
import { computed } from "vue";

import Segments from "../../controls/Segments.vue";
import { useTakes } from "../../stores/takes";
import AgainPanel from "./AgainPanel.vue";
import HandsPanel from "./HandsPanel.vue";
import MomentList from "./MomentList.vue";
import MomentPanel from "./MomentPanel.vue";
import PassesPanel from "./PassesPanel.vue";

defineProps<{ head: number | null }>();
type Part = "moments" | "again" | "hands" | "passes";
const takes = useTakes();
/** It stays while a take is recorded over this one. */
const part = useLocalStorage<Part>("bloom-take-part", "moments");
/** Takes over the same sound, the oldest first. */
const passes = computed(() => {
  const backing = takes.document?.about.backing;
  return backing ? takes.lines.filter((one) => one.backing === backing && one.origin !== "comp").reverse() : [];
});
const parts = computed(() => (passes.value.length > 1 ? [...PARTS, PASSES] : PARTS));
const PASSES = { value: "passes" as const, word: "passes", help: "Several over one sound, put together" };
const PARTS: { value: Part; word: string; help: string }[] = [
  { value: "moments", word: "moments", help: "What is worth keeping" },
  { value: "again", word: "again", help: "Played again, otherwise" },
  { value: "hands", word: "hands", help: "What was played, and changing it" },
];
const chosen = computed(() => takes.chosen);
</script>

<template>
  <aside
    class="flex w-[19rem] shrink-0 flex-col gap-3 overflow-y-auto border-l border-hairline px-4 py-4 xl:w-[24rem]"
    aria-label="Beside the take"
  >
    <Segments v-model="part" label="What is shown of the take" :options="parts" />
    <template v-if="part === 'moments'">
      <MomentPanel v-if="chosen" :key="chosen.key" :moment="chosen" :head="head" />
      <MomentList />
    </template>
    <AgainPanel v-else-if="part === 'again'" />
    <PassesPanel v-else-if="part === 'passes' && passes.length > 1" :key="passes.length" :passes="passes" />
    <HandsPanel v-else />
  </aside>
</template>
