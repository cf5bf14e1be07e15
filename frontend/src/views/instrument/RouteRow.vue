<script setup lang="ts">
/** A route as a sentence, each part a word to click, with what arrives now. */
import { computed } from "vue";

import { ownRule, spoken } from "../../controls/scale";
import type { Route } from "../../api/types";
import { useMovement } from "../../stores/movement";
import TracePicture from "./TracePicture.vue";

const props = defineProps<{ route: Route }>();
const movement = useMovement();
const said = computed(() => movement.said(props.route.id));
const findings = computed(() => movement.findingsOf(props.route.id));
const chosen = computed(() => movement.chosen?.what === "target" && movement.chosen.route === props.route.id);
const words = computed(() => {
  void movement.beat;
  const value = movement.trace(props.route.id).at(-1);
  if (value === undefined) return "";
  const size = Math.abs(value);
  const high = size < 10 ? 9 : size < 250 ? 249 : 1e6;
  const p = ownRule({ id: "", name: "", help: "", unit: said.value?.moved_in ?? "", low: -1, high, default: 0 });
  return spoken(p, Number(value.toPrecision(3)));
});
const lit = computed(() => movement.lit !== null && (movement.lit === props.route.id || movement.lit === source.value[1]));
const source = computed(() => props.route.source.split(":"));

function toSource(): void {
  if (source.value[0] === "m") movement.show(source.value[1]!);
  else movement.ask(props.route.target, props.route.parameter, props.route.id);
}
</script>

<template>
  <li
    v-if="said"
    class="relative grid grid-cols-[minmax(0,1fr)_minmax(90px,200px)_5.5rem] items-center gap-4 border-b border-hairline py-1 pr-1 pl-3"
    :class="chosen ? 'bg-sheet' : lit ? 'bg-[var(--key-shade)]' : ''"
    :style="{ '--petal': said.petal ? `var(--${said.petal})` : 'var(--ink-soft)' }"
    :data-route="route.id"
    @mouseenter="movement.lit = route.id"
    @mouseleave="movement.lit = null"
  >
    <i v-if="chosen" class="absolute inset-y-0 left-0 w-[3px] bg-[var(--petal)]" />
    <div class="min-w-0" :class="{ 'opacity-60': !route.on }">
      <p class="font-serif text-base leading-snug">
        <button
          class="inline-block italic first-letter:uppercase hover:underline"
          :title="source[0] === 'm' ? 'Show this modulator' : 'Played'"
          @click="toSource"
        >
          {{ said.source }}
        </button>
        <span class="text-soft"> moves </span>
        <button
          class="petal-words font-medium hover:underline"
          title="What moves this"
          @click="movement.ask(route.target, route.parameter, route.id)"
        >
          {{ said.owner }} · {{ said.parameter }}
        </button>
        {{ " " }}
        <button class="hover:underline" title="How far" @click="movement.ask(route.target, route.parameter, route.id)">
          {{ said.amount }}
        </button>
      </p>
      <p v-if="said.more.length || !route.on" class="text-xs text-soft">{{ [...(route.on ? [] : ["off"]), ...said.more].join(", ") }}</p>
      <p v-for="finding in findings" :key="finding.id" class="text-xs">
        <span class="font-medium text-warn">{{ finding.text }}</span>
        <button class="ml-2 text-focus hover:underline" @click="movement.accept(finding)">{{ finding.fix }}</button>
      </p>
    </div>
    <TracePicture :id="route.id" :low="said.least" :high="said.most" :still="!route.on" />
    <span class="text-right font-medium whitespace-nowrap" :data-arrives="route.id">{{ words }}</span>
  </li>
</template>
