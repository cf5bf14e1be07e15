<script setup lang="ts">
/** The ledger: one sound a line. Only the lines in view are there, however many the shelf holds. */
import { computed, nextTick, watch } from "vue";

import type { RecordingLine } from "../../api/types";
import { reveal } from "../../composables/reveal";
import { useRows } from "../../composables/rows";
import { useField } from "../../stores/field";
import { useLive } from "../../stores/live";
import RecordingRow from "./RecordingRow.vue";

const ROW_PX = 56;

defineEmits<{ pick: [id: number]; pickTo: [id: number]; listen: [recording: RecordingLine, at: number]; open: [] }>();
const field = useField();
const live = useLive();
const { list, containerProps, wrapperProps } = useRows(
  computed(() => field.recordings),
  ROW_PX,
);
const picked = computed(() => new Set(field.picked));

/** Scroll as little as shows the chosen line whole. */
function showChosen(): void {
  const index = field.recordings.findIndex(({ id }) => id === field.chosenId);
  reveal(containerProps.ref.value, index, ROW_PX);
}

/** Choose the line before or after; the focus goes with it, so that its keys are at hand. */
async function step(by: number): Promise<void> {
  const index = field.recordings.findIndex(({ id }) => id === field.chosenId);
  const next = field.recordings[Math.min(field.recordings.length - 1, Math.max(0, index + by))];
  if (!next) return;
  field.choose(next.id, true);
  await nextTick();
  showChosen();
  // lines that scroll into view are there a moment later
  requestAnimationFrame(() => {
    // several steps within one frame: a line that has the focus is chosen, so only the last may have it
    if (field.chosenId !== next.id) return;
    const line = containerProps.ref.value?.querySelector<HTMLElement>(`[data-recording="${next.id}"] button`);
    line?.focus({ preventScroll: true });
  });
}

/** In another order one begins at the top again. */
let order = "";
watch(
  () => [field.chosenId, field.recordings],
  async () => {
    await nextTick();
    const { order: by, descending, like } = field.wantedOnly;
    const now = `${by} ${descending} ${like}`;
    if (order && now !== order && containerProps.ref.value) containerProps.ref.value.scrollTop = 0;
    else showChosen();
    order = now;
  },
  { immediate: true },
);
defineExpose({ step });
</script>

<template>
  <div class="relative -mx-3 min-h-0 flex-1 overflow-x-hidden px-3" v-bind="containerProps" data-ledger data-letters="commands">
    <ol v-bind="wrapperProps">
      <RecordingRow
        v-for="{ data: one } in list"
        :key="one.id"
        :recording="one"
        :chosen="one.id === field.chosenId"
        :picked="picked.has(one.id)"
        :alike="field.alike.get(one.id)"
        @pick="$emit('pick', one.id)"
        @pick-to="$emit('pickTo', one.id)"
        @choose="(clicked) => field.choose(one.id, clicked)"
        @listen="$emit('listen', one, $event)"
        @hush="live.hush()"
        @open="$emit('open')"
      />
    </ol>
  </div>
</template>
