<script setup lang="ts">
/** Meters of a stream, or of the whole, since it was opened. */
import { computed } from "vue";

import { useLive } from "../../../stores/live";
import { useMix } from "../../../stores/mix";
import { WHOLE } from "../../../stores/owners";

const props = defineProps<{ stream: string }>();
const live = useLive();
const mix = useMix();
const isWhole = computed(() => props.stream === WHOLE);

const meters = computed(() => {
  const seen = isWhole.value ? mix.seen?.meters : mix.seen?.stream?.stream === props.stream ? mix.seen.stream.meters : null;
  if (!seen) return [];
  const lufs = (value: number) => (value <= -70 ? "silent" : `${value.toFixed(1).replace("-", "\u2212")} LUFS`);
  return [
    { name: "momentary, 0.4 s", value: lufs(seen.momentary) },
    { name: "short-term, 3 s", value: lufs(seen.short_term) },
    { name: `integrated, since ${isWhole.value ? "the mix" : "this"} was opened`, value: lufs(seen.integrated) },
    { name: "loudness range since then", value: `${seen.range.toFixed(1)} LU` },
    { name: "highest true peak since then", value: `${seen.peak.toFixed(1).replace("-", "\u2212")} dBTP` },
    ...(isWhole.value ? [{ name: "limiter takes away", value: `${live.look.held_db.toFixed(1).replace("-", "\u2212")} dB` }] : []),
    { name: "correlation of left and right", value: seen.correlation.toFixed(2).replace("-", "\u2212") },
  ];
});
</script>

<template>
  <section aria-label="Meters">
    <h3 class="heading mb-1">Meters</h3>
    <p v-if="!meters.length" class="text-soft">{{ live.state === "on" ? "Nothing to measure yet." : "Sound is off." }}</p>
    <p v-for="one in meters" :key="one.name" class="flex justify-between">
      <span class="text-soft">{{ one.name }}</span><span class="font-medium">{{ one.value }}</span>
    </p>
  </section>
</template>
