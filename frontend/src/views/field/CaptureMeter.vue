<script setup lang="ts">
/** How long a capture has run, how much of it is safe, and how loud it is. */
import { computed } from "vue";

import type { Progress } from "../../live/capture";
import { duration } from "../../theme/words";

const props = defineProps<{ progress: Progress; peakHeld: number; countdown: number | null; running: boolean }>();

const level = computed(() => Math.max(0, Math.min(1, 1 + Math.log10(Math.max(props.progress.peak, 1e-3)) / 3)));
const clipped = computed(() => props.peakHeld >= 0.999);
const clock = computed(() => {
  const whole = Math.floor(props.progress.seconds);
  const two = (part: number) => String(part).padStart(2, "0");
  return `${two(Math.floor(whole / 60))}:${two(whole % 60)}.${Math.floor(10 * (props.progress.seconds - whole))}`;
});
</script>

<template>
  <div>
    <div class="mt-4 flex items-baseline gap-4">
      <span class="font-serif text-xl" role="timer">{{ countdown === null ? clock : `in ${countdown}` }}</span>
      <span class="flex-1 text-soft"><template v-if="running">{{ duration(progress.safe) }} safe; up to 30 minutes</template></span>
      <span v-if="clipped" class="font-semibold text-bad">clipped: turn the input down</span>
    </div>
    <div
      class="relative mt-2 h-2 bg-hairline"
      role="meter"
      aria-label="Input level"
      aria-valuemin="0"
      aria-valuemax="1"
      :aria-valuenow="Number(level.toFixed(2))"
    >
      <i
        class="block h-full"
        :class="progress.peak > 0.9 ? 'bg-bad' : progress.peak > 0.5 ? 'bg-warn' : 'bg-good'"
        :style="{ width: `${100 * level}%` }"
      />
    </div>
    <p class="mt-1 text-xs text-soft">60 dB from left to right; aim for two thirds.</p>
  </div>
</template>
