<script setup lang="ts">
/** What an effect says of itself while sound passes it: what it takes away or adds, and the noise floor before and after. */
import { computed } from "vue";

import type { EffectKind, EffectPicture } from "../../../api/types";

const props = defineProps<{
  kind: EffectKind;
  /** What it shows now, in the order of its kind. */
  shown: readonly number[];
  /** Noise floor of what goes in and of what comes out, dBFS. */
  floors: readonly [number, number] | null;
  picture: EffectPicture | null;
}>();
const emit = defineEmits<{ gate: [] }>();

/** What it takes away or adds now, in dB. */
const changes = computed(() => props.kind.shows.flatMap((name, i) => (name === "level" ? [] : [{ name, db: props.shown[i] ?? 0 }])));
const noise = computed(() => (props.kind.picture === "levels" ? props.floors : null));
/** By how much what is quiet comes out louder than it went in, in dB: as measured, or as it is set. */
const lifts = computed(() => {
  if (noise.value) return noise.value[1] - noise.value[0];
  const quietest = props.picture?.points[0];
  return props.kind.picture === "levels" && quietest ? quietest[1] - quietest[0] : 0;
});

const width = (db: number) => `${Math.min(100, Math.abs(db) * 4)}%`;
const signed = (db: number) => `${db < -0.05 ? "\u2212" : db > 0.05 ? "+" : ""}${Math.abs(db).toFixed(1)} dB`;
</script>

<template>
  <div v-for="one in changes" :key="one.name" class="grid grid-cols-[6rem_minmax(0,1fr)_4rem] items-center gap-2">
    <span class="text-soft">{{ one.name }}</span>
    <span class="h-[6px] bg-hairline"><i class="block h-full bg-[var(--petal)]" :style="{ width: width(one.db) }" /></span>
    <span class="text-right font-medium">{{ signed(one.db) }}</span>
  </div>
  <p v-if="noise" data-testid="noise-floor" title="The level that is exceeded nine tenths of the time, lately">
    Noise floor {{ signed(noise[0]) }} in, {{ signed(noise[1]) }} out.
  </p>
  <p v-if="lifts > 1" class="text-soft">
    What is quiet comes out {{ lifts.toFixed(1) }} dB louder, noise too.
    <button class="text-focus hover:underline" @click="emit('gate')">Add a gate before it</button>
  </p>
</template>
