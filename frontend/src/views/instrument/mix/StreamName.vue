<script setup lang="ts">
/** A stream's name and level, by which it is chosen, and dragged onto a shared one to send. */
import PetalMark from "../../../charts/PetalMark.vue";
import type { Stream } from "../../../stores/mix";
import { levelOf } from "./streamWays";

const props = defineProps<{ stream: Stream; chosen: boolean; tall: boolean }>();
defineEmits<{ choose: [] }>();

function carry(event: DragEvent): void {
  event.dataTransfer?.setData("text/x-bloom-stream", props.stream.id);
}
</script>

<template>
  <button
    class="flex items-center gap-1.5 rounded-sm pr-1 text-left leading-4"
    :class="chosen ? 'bg-sheet shadow-[inset_0_0_0_1px_var(--ink)]' : 'hover:bg-sheet'"
    :aria-pressed="chosen"
    :draggable="stream.layer !== null"
    :title="stream.layer ? 'Its level and where it goes; drag it onto a shared stream to send' : 'Its name and level'"
    @click="$emit('choose')"
    @dragstart="carry"
  >
    <PetalMark v-if="stream.petal" class="ml-1 shrink-0" :petal="stream.petal" />
    <span class="min-w-0 flex-1" :class="{ 'pl-1': !stream.petal }">
      <span class="block truncate font-serif text-[15px]" :class="{ italic: stream.bus }">{{ stream.name }}</span>
      <span v-if="tall" class="block truncate text-xs text-soft">
        <!-- the level is what must not be cut off where room is short -->
        {{ stream.layer ? `${levelOf(stream.layer.settings)}, ${stream.layer.kind}` : `${levelOf(stream.bus!.settings)}, shared` }}
      </span>
    </span>
  </button>
</template>
