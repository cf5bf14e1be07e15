<script setup lang="ts" generic="T">
/**
 * A long list of sounds, each a line: arrows hear the next, Enter listens or stops, further letters do what they are given for.
 *
 * Only the lines in view are there; the chosen one is kept in view.
 */
import { computed, nextTick, watch } from "vue";

import { reveal } from "../composables/reveal";
import { useRows } from "../composables/rows";

const props = defineProps<{
  rows: readonly T[];
  keyOf: (one: T) => string | number;
  rowPx: number;
  /** Key of the one that was heard last. */
  chosen: string | number | null;
  label: string;
  testid: string;
  /** What letters do to the chosen one. */
  letters?: Record<string, (one: T) => void>;
  /** Whether one is kept, null where nobody has decided. */
  kept?: (one: T) => boolean | null;
}>();
const emit = defineEmits<{ hear: [one: T] }>();
const rows = computed(() => [...props.rows]);
const { list, containerProps, wrapperProps } = useRows(rows, props.rowPx);
const at = computed(() => props.rows.findIndex((one) => props.keyOf(one) === props.chosen));

function step(by: number): void {
  const one = props.rows[Math.max(0, Math.min(props.rows.length - 1, at.value + by))];
  if (one && props.keyOf(one) !== props.chosen) emit("hear", one);
}

function act(key: string): (() => void) | undefined {
  const one = props.rows[at.value];
  if (key === "ArrowDown" || key === "ArrowUp") return () => step(key === "ArrowDown" ? 1 : -1);
  if (key === "Enter") return () => one && emit("hear", one);
  const letter = props.letters?.[key];
  return letter && (() => one && letter(one));
}

function key(event: KeyboardEvent): void {
  const done = event.ctrlKey || event.altKey || event.metaKey ? undefined : act(event.key);
  if (!done) return;
  event.preventDefault();
  event.stopPropagation();
  done();
}

defineExpose({ focus: () => containerProps.ref.value?.focus() });

watch(at, async (index) => {
  await nextTick();
  if (index >= 0) reveal(containerProps.ref.value, index, props.rowPx);
});
</script>

<template>
  <div
    v-bind="containerProps"
    tabindex="0"
    role="group"
    :aria-label="`${label}. Arrows hear the next, Enter listens or stops.`"
    :data-testid="testid"
    data-letters="commands"
    @keydown="key"
  >
    <ol v-bind="wrapperProps">
      <li
        v-for="{ data: one, index } in list"
        :key="keyOf(one)"
        class="flex items-center gap-3 border-b border-hairline px-2"
        :class="keyOf(one) === chosen ? 'bg-sheet shadow-[inset_3px_0_var(--focus)]' : ''"
        :style="{ height: `${rowPx}px` }"
        :data-line="keyOf(one)"
        :data-kept="kept?.(one)"
      >
        <slot :one="one" :index="index" />
      </li>
    </ol>
    <slot name="empty" />
  </div>
</template>
