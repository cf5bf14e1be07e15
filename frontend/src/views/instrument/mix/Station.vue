<script setup lang="ts">
/** An effect on its stream: its name, a small picture of what it does, and whether it is on. */
import { computed, nextTick } from "vue";

import type { Effect } from "../../../api/types";
import { word } from "../../../api/types";
import { useMix } from "../../../stores/mix";
import EffectCurve from "./EffectCurve.vue";
import { useEffectPicture } from "./effectPicture";

const props = defineProps<{ effect: Effect; colour: string; narrow: boolean; chain: string; at: number; count: number }>();
const mix = useMix();
const kind = computed(() => mix.kindOf(props.effect)!);
const picture = useEffectPicture(() => props.effect);
const off = computed(() => word(props.effect.settings, "on") === "off");
const chosen = computed(() => mix.chosen?.id === props.effect.id);

function drag(event: DragEvent): void {
  event.dataTransfer?.setData("text/x-bloom-effect", props.effect.id);
}

/** To the stream above or below, as far along it as it stood; the focus goes with it. */
async function changeStream(by: number): Promise<void> {
  const to = mix.streams[mix.streams.findIndex(({ id }) => id === props.chain) + by];
  if (!to) return;
  await mix.move(props.effect.id, to.id, Math.min(props.at, to.effects.length));
  await nextTick();
  document.querySelector<HTMLElement>(`[data-effect="${props.effect.id}"]`)?.focus();
}

function key(event: KeyboardEvent): void {
  const by = { ArrowLeft: -1, ArrowRight: 1 }[event.key];
  const across = { ArrowUp: -1, ArrowDown: 1 }[event.key];
  if (event.key === "Delete") void mix.remove(props.effect.id);
  else if (event.altKey && across !== undefined) void changeStream(across);
  else if (event.altKey && by !== undefined) {
    const to = props.at + by;
    if (to >= 0 && to < props.count) void mix.move(props.effect.id, props.chain, to);
  } else return;
  event.preventDefault();
  event.stopPropagation();
}
</script>

<template>
  <button
    class="block h-full w-full overflow-hidden rounded-sm border bg-sheet px-1.5 pt-0.5 text-left leading-4"
    :class="[chosen ? 'border-ink shadow-[inset_0_0_0_1px_var(--ink)]' : 'border-hairline hover:border-ink', { 'opacity-55': off }]"
    draggable="true"
    :data-effect="effect.id"
    :aria-pressed="chosen"
    :title="`${kind.name}: ${kind.help} Drag it, or Alt and an arrow, to move it along its stream or to another; Delete takes it away.`"
    @click="mix.chosen = { what: 'effect', id: effect.id }"
    @dragstart="drag"
    @keydown="key"
  >
    <span class="flex items-baseline gap-1 text-xs">
      <span class="min-w-0 flex-1 truncate">{{ kind.name }}</span>
      <span v-if="off" class="text-soft">off</span>
      <span v-if="mix.alone === effect.id" class="font-semibold text-warn">alone</span>
    </span>
    <EffectCurve v-if="kind.picture !== 'none' && !narrow" :kind="kind" :picture="picture" :width="64" :height="15" :colour="colour" />
  </button>
</template>
