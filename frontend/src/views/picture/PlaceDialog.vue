<script setup lang="ts">
/** What is placed at the playhead: a sound of the shelf, or a take. */
import { computed, ref, watch } from "vue";

import { clock } from "../../charts/takeLine";
import Segments from "../../controls/Segments.vue";
import ShelfList from "../../controls/ShelfList.vue";
import DialogFrame from "../../frame/DialogFrame.vue";
import { useTakes } from "../../stores/takes";
import { useTimeline } from "../../stores/timeline";

const props = defineProps<{ open: boolean; lane: string | null }>();
const emit = defineEmits<{ close: [] }>();
const timeline = useTimeline();
const takes = useTakes();
const from = ref<"shelf" | "takes">("shelf");
const where = computed(() => {
  const lane = timeline.document?.lanes.find(({ id }) => id === props.lane)?.name;
  return `at ${timeline.timecode(timeline.head)}, ${lane ? `on ${lane}` : "on a lane of its own"}`;
});
watch(
  () => props.open,
  (open) => open && void takes.list(),
);

async function place(what: { recording: number } | { take: number }): Promise<void> {
  emit("close");
  await timeline.act({ do: "place", frame: timeline.head, lane: props.lane, recording: null, take: null, offset: 0, ...what });
}
</script>

<template>
  <DialogFrame :open="open" title="Place a sound" width="w-[36rem]" @close="emit('close')">
    <template #note>{{ where }}</template>
    <Segments
      v-model="from"
      class="mt-2"
      label="From"
      :options="[
        { value: 'shelf', word: 'the shelf' },
        { value: 'takes', word: 'takes' },
      ]"
    />
    <ShelfList v-if="from === 'shelf'" class="mt-2 h-[29rem]" @pick="place({ recording: $event })" />
    <ul v-else class="mt-2 h-[29rem] overflow-y-auto" tabindex="0" aria-label="Takes">
      <li v-for="one in takes.lines" :key="one.id">
        <button
          class="flex w-full items-baseline gap-3 rounded-sm px-2 py-1.5 text-left hover:bg-[var(--key-shade)]"
          @click="place({ take: one.id })"
        >
          <span class="min-w-0 flex-1 truncate font-serif text-base">{{ one.name }}</span>
          <span class="text-soft">{{ one.instrument_name }}</span>
          <span class="w-14 text-right">{{ clock(one.seconds) }}</span>
        </button>
      </li>
      <li v-if="!takes.lines.length" class="p-3 text-soft">Nothing has been recorded yet.</li>
    </ul>
  </DialogFrame>
</template>
