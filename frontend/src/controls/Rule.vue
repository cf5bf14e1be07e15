<script setup lang="ts">
/** The one control for continuous values: a horizontal measuring rule. */
import { computed, ref } from "vue";

import type { Parameter } from "../api/types";
import { followPointer } from "../composables/pointer";
import RuleEnds from "./RuleEnds.vue";
import RuleValue from "./RuleValue.vue";
import { fromShare, graduations, rounded, spoken, toShare } from "./scale";

const props = defineProps<{
  parameter: Parameter;
  value: number;
  needles?: number[];
  band?: [low: number, high: number];
  ends?: boolean;
  /** On one line. */
  compact?: boolean;
}>();
const emit = defineEmits<{
  move: [value: number];
  rest: [value: number];
  ask: [];
  source: [id: string];
  band: [low: number, high: number];
}>();

const line = ref<HTMLElement>();
const said = ref<InstanceType<typeof RuleValue>>();
const marks = computed(() => graduations(props.parameter));
const share = computed(() => toShare(props.parameter, props.value));
const shown = computed(() => spoken(props.parameter, props.value));
const help = computed(() => {
  const keys = "Drag, or arrow keys (Shift for fine, Page for coarse); Delete for the default.";
  return `${props.parameter.help} ${keys}${props.parameter.movable ? " Shift Enter for what moves it." : ""}`;
});
/** The band as it is dragged; the given one otherwise. */
const pulled = ref<[number, number] | null>(null);
const shownBand = computed(() => pulled.value ?? props.band ?? null);
function dropped(event: DragEvent): void {
  const id = event.dataTransfer?.getData("text/x-bloom-source");
  if (id && props.parameter.movable) emit("source", id);
}

const FINE = 0.1;
let from = { x: 0, share: 0, value: 0 };

function down(event: PointerEvent): void {
  if (event.button !== 0 || !line.value) return;
  const box = line.value.getBoundingClientRect();
  const at = (event.clientX - box.left) / box.width;
  from = { x: event.clientX, share: event.shiftKey ? share.value : at, value: props.value };
  followPointer(event, drag, up);
  if (!event.shiftKey) move(fromShare(props.parameter, at));
}

function drag(event: PointerEvent): void {
  if (!line.value) return;
  const width = line.value.getBoundingClientRect().width;
  const moved = ((event.clientX - from.x) / width) * (event.shiftKey ? FINE : 1);
  from = { ...from, x: event.clientX, share: from.share + moved };
  move(fromShare(props.parameter, from.share));
}

function up(cancelled: boolean): void {
  if (cancelled) move(from.value);
  else if (props.value !== from.value) emit("rest", props.value);
}

function move(value: number): void {
  if (value !== props.value) emit("move", value);
}

function set(value: number): void {
  const held = rounded(props.parameter, value);
  if (held === props.value) return;
  emit("move", held);
  emit("rest", held);
}

function nudge(steps: number): void {
  const p = props.parameter;
  if (p.whole_number) set(props.value + Math.sign(steps) * Math.max(1, Math.abs(Math.round(steps))));
  else set(fromShare(p, share.value + steps * 0.01));
}

function key(event: KeyboardEvent): void {
  const size = event.shiftKey ? FINE : 1;
  const steps: Record<string, () => void> = {
    ArrowRight: () => nudge(size),
    ArrowUp: () => nudge(size),
    ArrowLeft: () => nudge(-size),
    ArrowDown: () => nudge(-size),
    PageUp: () => nudge(10),
    PageDown: () => nudge(-10),
    Home: () => set(props.parameter.low),
    End: () => set(props.parameter.high),
    Delete: () => set(props.parameter.default),
    Enter: () => (event.shiftKey && props.parameter.movable ? emit("ask") : void said.value?.type()),
  };
  const step = steps[event.key];
  if (!step || event.ctrlKey || event.metaKey) return;
  event.preventDefault();
  event.stopPropagation();
  step();
}

function wheel(event: WheelEvent): void {
  if (document.activeElement !== event.currentTarget) return;
  event.preventDefault();
  nudge((event.deltaY < 0 ? 1 : -1) * (event.shiftKey ? FINE : 1));
}
</script>

<template>
  <div class="min-w-0" :class="{ 'flex flex-row-reverse items-center gap-2': compact }">
    <div class="flex items-baseline justify-between gap-2" :class="{ 'w-[4.6rem] shrink-0 !gap-1 text-xs': compact }">
      <span class="truncate text-soft" :title="help">{{ parameter.name }}</span>
      <RuleValue ref="said" :parameter="parameter" :value="value" @set="set" />
    </div>
    <div class="relative" :class="{ 'flex-1': compact }">
      <div
        class="relative h-[18px] cursor-ew-resize touch-none"
        role="slider"
        tabindex="0"
        :aria-label="`${parameter.group} ${parameter.name}`"
        :aria-valuemin="parameter.low"
        :aria-valuemax="parameter.high"
        :aria-valuenow="value"
        :aria-valuetext="shown"
        :title="help"
        :data-parameter="parameter.id"
        @pointerdown="down"
        @dblclick="set(parameter.default)"
        @keydown="key"
        @wheel="wheel"
        @dragover.prevent
        @drop.prevent="dropped"
      >
        <div ref="line" class="absolute inset-x-1 top-[6px] border-t border-soft">
          <i
            v-for="(mark, i) in marks"
            :key="i"
            class="absolute top-0 w-px bg-soft"
            :style="{ left: `${100 * mark.share}%`, height: mark.long ? '5px' : '3px' }"
          />
          <i
            v-if="shownBand"
            class="absolute -top-[6px] h-[6px] bg-[var(--petal)] opacity-35"
            data-band
            :style="{
              left: `${100 * toShare(parameter, Math.min(...shownBand))}%`,
              right: `${100 - 100 * toShare(parameter, Math.max(...shownBand))}%`,
            }"
          />
          <i
            v-for="(needle, i) in needles ?? []"
            :key="`n${i}`"
            class="absolute -top-[5px] h-[6px] w-[2px] -translate-x-px bg-[var(--petal)]"
            :style="{ left: `${100 * toShare(parameter, needle)}%` }"
          />
          <svg
            class="absolute top-[1px] -translate-x-1/2 fill-ink"
            width="11"
            height="9"
            viewBox="0 0 11 9"
            aria-hidden="true"
            :style="{ left: `${100 * share}%` }"
          >
            <path d="M5.500 0 11 9H0Z" />
          </svg>
        </div>
      </div>
      <RuleEnds v-if="ends && band" v-model:pulled="pulled" :parameter="parameter" :band="band" @band="(...to) => emit('band', ...to)" />
    </div>
  </div>
</template>
