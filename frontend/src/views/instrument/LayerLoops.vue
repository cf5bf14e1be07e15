<script setup lang="ts">
/** Loops of a layer: found as on the Bench, and where the note begins. */
import { computed, ref, watch } from "vue";

import { type Layer, number, word } from "../../api/types";
import type { LoopFound } from "../../api/types";
import { useInstrument } from "../../stores/instrument";
import { useProject } from "../../stores/project";
import { useShelf } from "../../stores/shelf";
import LoopsFound from "../bench/LoopsFound.vue";

const props = defineProps<{ layer: Layer }>();
const instrument = useInstrument();
const project = useProject();
const shelf = useShelf();
const looking = ref(false);
const s = computed(() => props.layer.settings);
const sound = computed(() => props.layer.sounds[0]);
/** The stretch that is played, in seconds of the recording; null where that is not on the shelf. */
const stretch = computed(() => {
  const whole = shelf.byDigest.get(sound.value?.recording ?? "")?.duration_s;
  if (whole === undefined) return null;
  const from = sound.value!.start;
  return { from, to: from + (sound.value!.length ?? Math.min(whole - from, project.catalogue.longest_stretch_s)) };
});
const current = computed(() => {
  if (!stretch.value || word(s.value, "loop") === "off") return null;
  const { from, to } = stretch.value;
  const start = from + (number(s.value, "loop_start") / 100) * (to - from);
  return { start, end: start + number(s.value, "loop_length") / 1_000 };
});
const begins = computed(() => Math.abs(number(s.value, "start") - number(s.value, "loop_start")) < 0.01);

watch(
  () => props.layer.id,
  () => (looking.value = false),
);

function put(values: Record<string, number | string>, label: string): void {
  for (const [id, value] of Object.entries(values)) instrument.move(props.layer.id, id, value);
  instrument.rest(props.layer.id, values, label);
}

function take(loop: LoopFound): void {
  const { from, to } = stretch.value!;
  const seconds = loop.end - loop.start;
  put(
    {
      loop: word(s.value, "loop") === "off" ? "forward" : word(s.value, "loop"),
      loop_start: (100 * (loop.start - from)) / (to - from),
      loop_length: 1_000 * seconds,
      crossfade: Math.min(100, loop.crossfade_ms / (10 * seconds)),
      curve: loop.curve,
    },
    "Take a loop",
  );
}
</script>

<template>
  <div class="mb-1">
    <div class="-ml-1 flex flex-wrap gap-x-1">
      <button
        v-if="stretch && layer.sounds.length === 1"
        class="quiet !px-1 text-focus"
        :aria-expanded="looking"
        title="The same search as on the Bench: what closes best comes first"
        @click="looking = !looking"
      >
        {{ looking ? "Hide loops" : "Find loops" }}
      </button>
      <button
        v-if="word(s, 'loop') !== 'off'"
        class="quiet !px-1 text-focus"
        :disabled="begins"
        title="A note begins where the loop does, without what comes before it"
        @click="put({ start: number(s, 'loop_start') }, 'Start with the loop')"
      >
        {{ begins ? "Starts with the loop" : "Start with the loop" }}
      </button>
    </div>
    <LoopsFound
      v-if="looking && stretch"
      class="mb-2 max-h-64 overflow-y-auto border-y border-hairline py-1"
      :sound-key="sound!.recording!"
      :from="stretch.from"
      :to="stretch.to"
      :current="current"
      @take="take"
    />
  </div>
</template>
