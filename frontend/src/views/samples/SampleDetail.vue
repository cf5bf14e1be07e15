<script setup lang="ts">
/** The sample that was heard last: its outline with its loop, and what is known of it. */
import { computed } from "vue";

import { useSamples } from "../../stores/samples";
import { noteName, seconds } from "../../theme/words";
import VariationWave from "../deliver/VariationWave.vue";

const samples = useSamples();
const one = computed(() => samples.chosen ?? samples.notes[0]!);
const share = (frames: number) => `${((100 * frames) / one.value.frames).toFixed(2)}%`;
const level = (value: number) => value.toFixed(1).replace("-", "−");
const keys = computed(() => `${noteName(one.value.lowest)} to ${noteName(one.value.highest)}`);
const facts = computed(() =>
  [
    `keys ${keys.value}`,
    `velocities ${one.value.softest} to ${one.value.hardest}`,
    seconds(one.value.frames / one.value.rate),
    one.value.released
      ? `release ${seconds(one.value.released / one.value.rate)}`
      : `fades over ${one.value.release_s.toFixed(2)} s when let go`,
    one.value.loudness === null ? "silent" : `${level(one.value.loudness)} LUFS`,
  ].join(", "),
);
</script>

<template>
  <div class="flex h-24 items-stretch gap-4 border-t border-hairline pt-2" aria-label="Sample" role="group">
    <div class="w-56 shrink-0 leading-snug">
      <p class="font-serif text-lg">{{ noteName(one.key) }}, velocity {{ one.velocity }}</p>
      <p class="text-xs text-soft">{{ facts }}</p>
    </div>
    <div class="relative min-w-0 flex-1">
      <VariationWave :pairs="one.pairs" :strong="samples.heard(one)" />
      <div
        v-if="one.loop"
        class="absolute inset-y-0 border-x border-focus bg-focus/10"
        :style="{ left: share(one.loop[0]), width: share(one.loop[1] - one.loop[0]) }"
      />
    </div>
    <div class="flex w-28 shrink-0 flex-col justify-center gap-1.5">
      <button class="action" @click="samples.hear(one)">{{ samples.heard(one) ? "Stop" : "Listen" }}</button>
      <button
        class="action"
        :disabled="!one.loop"
        :title="one.loop ? 'Hear what is held, over and over' : 'This one is not looped: it dies away, or no loop was found'"
        @click="samples.hear(one, true)"
      >
        {{ samples.heard(one, true) ? "Stop the loop" : "Hear the loop" }}
      </button>
    </div>
  </div>
</template>
