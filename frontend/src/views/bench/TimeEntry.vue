<script setup lang="ts">
/** A moment: typed in seconds, or nudged to a zero crossing, by a millisecond or by one sample. */
import { computed } from "vue";

import type { Parameter } from "../../api/types";
import TypedInPlace from "../../controls/TypedInPlace.vue";
import { useNotices } from "../../stores/notices";

const props = defineProps<{ parameter: Parameter; value: number; duration: number }>();
const emit = defineEmits<{ set: [value: number]; nudge: [how: "ms" | "sample" | "zero", way: -1 | 1] }>();
const toEnd = computed(() => props.parameter.id === "end" && props.value === 0);
const shown = computed(() => (toEnd.value ? "the end" : `${props.value.toFixed(4)} s`));

/** 1.5, 1:02.5, 40 ms, or "end". */
function typed(text: string): void {
  const clean = text.toLowerCase().replace(",", ".").trim();
  if (clean === "end" || clean === "the end") return emit("set", props.parameter.id === "end" ? 0 : props.duration);
  const match = /^(?:(\d+):)?(\d*\.?\d+)\s*(ms|s)?$/.exec(clean);
  if (!match) return useNotices().complain(`“${text}” is not a time: write 1.5, 1:02.5 or 40 ms.`);
  const seconds = (Number(match[1] ?? 0) * 60 + Number(match[2])) * (match[3] === "ms" ? 1e-3 : 1);
  emit("set", Math.min(props.parameter.high, seconds));
}

const NUDGES = [
  { how: "zero" as const, word: "0", help: "to the zero crossing" },
  { how: "ms" as const, word: "ms", help: "by 1 ms" },
  { how: "sample" as const, word: "smp", help: "by one sample" },
];
</script>

<template>
  <div class="flex items-baseline justify-between gap-2">
    <span class="text-soft" :title="parameter.help">{{ parameter.name }}</span>
    <span class="flex items-baseline">
      <TypedInPlace
        :shown="shown"
        :start="toEnd ? 'end' : String(Number(value.toFixed(5)))"
        :label="parameter.name"
        :help="parameter.help"
        entry-class="w-24 text-right font-semibold"
        shown-class="mr-1 font-semibold"
        @typed="typed"
      />
      <span v-for="one in NUDGES" :key="one.how" class="ml-0.5 flex items-baseline rounded-sm border border-hairline text-xs text-soft">
        <button
          class="px-1 hover:text-ink"
          :aria-label="`${parameter.name} earlier ${one.help}`"
          :title="`Earlier ${one.help}`"
          @click="$emit('nudge', one.how, -1)"
        >
          ‹</button
        >{{ one.word
        }}<button
          class="px-1 hover:text-ink"
          :aria-label="`${parameter.name} later ${one.help}`"
          :title="`Later ${one.help}`"
          @click="$emit('nudge', one.how, 1)"
        >
          ›
        </button>
      </span>
    </span>
  </div>
</template>
