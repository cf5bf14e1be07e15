<script setup lang="ts">
/** The recording that frames are taken from, with the places; heard from a click, or places set by it. */
import { computed } from "vue";

import type { RecordingLine } from "../../api/types";
import Waveform from "../../charts/Waveform.vue";
import { useLive } from "../../stores/live";
import { useTable } from "../../stores/table";

const props = defineProps<{ original: RecordingLine; byHand: boolean; heard: "original" | "swept" | null }>();
const emit = defineEmits<{ hear: [what: "original" | "swept", at?: number] }>();
const table = useTable();
const live = useLive();

const total = computed(() => props.original.duration_s);
const marks = computed(() => (table.made?.seconds ?? []).map((at) => at / total.value));
const playhead = computed(() => (props.heard && live.look.listening !== null ? live.look.listening / total.value : null));

/** A click on the recording: a place to take a frame from, or from where to listen. */
function clicked(event: MouseEvent): void {
  const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
  const at = Math.round(1e4 * ((event.clientX - box.left) / box.width) * total.value) / 1e4;
  if (!props.byHand) return emit("hear", "original", at);
  const near = (6 / box.width) * total.value;
  void table.edit("Places", ({ source }) => {
    if (source.kind !== "recording") return;
    const { places } = source;
    const left = places.filter((one) => Math.abs(one - at) > near);
    source.places = left.length < places.length ? left : [...places, at].sort((a, b) => a - b);
  });
}
</script>

<template>
  <div class="mt-2 flex items-center gap-3">
    <button
      class="relative h-12 min-w-0 flex-1 border border-hairline bg-sheet"
      :class="byHand ? 'cursor-crosshair' : 'cursor-text'"
      :aria-label="byHand ? 'Places to take frames from' : `Listen to ${original.name} from here`"
      :title="byHand ? 'Click to add a place, or to take one away' : 'Click to listen from there; lines are where frames are taken'"
      data-testid="taken-from"
      @click="clicked"
    >
      <Waveform :digest="original.digest" colour="wave" />
      <i
        v-for="(at, i) in marks"
        :key="i"
        class="pointer-events-none absolute inset-y-0 w-px"
        :class="i === table.chosen ? 'bg-ink' : 'bg-[color-mix(in_srgb,var(--lichen)_60%,transparent)]'"
        :style="{ left: `${100 * at}%` }"
      />
      <i
        v-if="playhead !== null"
        class="pointer-events-none absolute inset-y-0 w-0.5 bg-[var(--madder)]"
        :style="{ left: `${100 * playhead}%` }"
      />
    </button>
    <span class="flex shrink-0 flex-col">
      <button class="quiet text-left" :class="{ 'font-semibold': heard === 'original' }" title="Enter" @click="emit('hear', 'original')">
        {{ heard === "original" ? "Stop" : "Hear the recording" }}
      </button>
      <button
        class="quiet text-left"
        :class="{ 'font-semibold': heard === 'swept' }"
        :disabled="!table.made?.swept"
        title="The frames before any edit, swept as fast and as high as the recording went (Shift Enter)"
        @click="emit('hear', 'swept')"
      >
        {{ heard === "swept" ? "Stop" : "Hear the table swept" }}
      </button>
    </span>
  </div>
</template>
