<script setup lang="ts">
/** A step pattern: drag a step up or down; below it the chance that it is taken. */
import { ref, watch } from "vue";

import { followPointer } from "../../composables/pointer";

const props = defineProps<{ steps: [value: number, chance: number][] }>();
const emit = defineEmits<{ steps: [steps: [number, number][]] }>();
const MOST = 64;
const H = 90;
const held = ref<[number, number][]>([]);
function takeBack(): void {
  held.value = props.steps.map(([v, c]) => [v, c]);
}
watch(() => props.steps, takeBack, { immediate: true });

function set(event: PointerEvent, i: number, chance: boolean): void {
  const box = (event.currentTarget as Element).getBoundingClientRect();
  const share = Math.min(1, Math.max(0, 1 - (event.clientY - box.top) / box.height));
  held.value[i]![chance ? 1 : 0] = Number((chance ? share : 2 * share - 1).toFixed(2));
}

function down(event: PointerEvent, i: number, chance: boolean): void {
  set(event, i, chance);
  followPointer(
    event,
    (now) => set(now, i, chance),
    (cancelled) => (cancelled ? takeBack() : emit("steps", held.value)),
  );
}

function key(event: KeyboardEvent, i: number, chance: boolean): void {
  const by = { ArrowUp: 0.05, ArrowDown: -0.05 }[event.key];
  if (by === undefined) return;
  event.preventDefault();
  const place = chance ? 1 : 0;
  held.value[i]![place] = Number(Math.min(1, Math.max(chance ? 0 : -1, held.value[i]![place] + by)).toFixed(2));
  emit("steps", held.value);
}
</script>

<template>
  <div>
    <div class="flex gap-px border border-hairline bg-sheet p-1" :style="{ height: `${H + 26}px` }" role="group" aria-label="Steps">
      <div v-for="([value, chance], i) in held" :key="i" class="flex min-w-0 flex-1 flex-col gap-0.5">
        <div
          class="relative flex-1 touch-none cursor-ns-resize bg-paper"
          role="slider"
          tabindex="0"
          :aria-label="`Step ${i + 1}`"
          aria-valuemin="-1"
          aria-valuemax="1"
          :aria-valuenow="value"
          @pointerdown="down($event, i, false)"
          @keydown="key($event, i, false)"
        >
          <i
            class="absolute inset-x-0 bg-[var(--petal)] opacity-70"
            :style="{ top: `${50 - 50 * Math.max(0, value)}%`, bottom: `${50 - 50 * Math.max(0, -value)}%`, minHeight: '2px' }"
          />
        </div>
        <div
          class="relative h-4 touch-none cursor-ns-resize bg-paper"
          role="slider"
          tabindex="0"
          :aria-label="`Chance of step ${i + 1}`"
          aria-valuemin="0"
          aria-valuemax="1"
          :aria-valuenow="chance"
          :title="`Chance ${Math.round(100 * chance)} %`"
          @pointerdown="down($event, i, true)"
          @keydown="key($event, i, true)"
        >
          <i class="absolute inset-x-0 bottom-0 bg-soft opacity-60" :style="{ height: `${100 * chance}%` }" />
        </div>
      </div>
    </div>
    <div class="mt-1 flex items-center gap-1 text-xs text-soft">
      <span>values above, chances below</span>
      <button class="quiet ml-auto !py-0" :disabled="held.length <= 1" @click="emit('steps', held.slice(0, -1))">Fewer</button>
      <button class="quiet !py-0" :disabled="held.length >= MOST" @click="emit('steps', [...held, [0, 1]])">More</button>
    </div>
  </div>
</template>
