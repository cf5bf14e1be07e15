<script setup lang="ts">
/** The same routes as a grid: sources down, targets across, a dot as large as the share of the range it moves. */
import type { Route } from "../../api/types";
import { computed } from "vue";

import { useInstrument } from "../../stores/instrument";
import { useMovement } from "../../stores/movement";

const props = defineProps<{ routes: Route[] }>();
const instrument = useInstrument();
const movement = useMovement();
const sources = computed(() => {
  const used = new Set(props.routes.map(({ source }) => source));
  const named = movement.reading.sources.filter(({ id }) => used.has(id) || id.startsWith("m:"));
  const extra = [...used].filter((id) => !named.some((one) => one.id === id));
  return [...named.filter(({ id }) => !id.endsWith(":other") || used.has(id)), ...extra.map((id) => ({ id, name: nameOf(id) }))];
});
/** Targets of one layer stand side by side, layers in their order, modulators after them. */
const targets = computed(() => {
  const order = [...(instrument.document?.layers ?? []), ...movement.modulators].map(({ id }) => id);
  const rank = (id: string) => (order.includes(id) ? order.indexOf(id) : order.length);
  const shown = movement.reading.targets.filter(({ owner, parameter }) =>
    props.routes.some((one) => one.target === owner && one.parameter === parameter),
  );
  return [...shown].sort((a, b) => rank(a.owner) - rank(b.owner));
});

/** Which layers, modulators or effects the columns belong to. */
const groups = computed(() => {
  const out: { owner: string; name: string; count: number }[] = [];
  for (const one of targets.value) {
    const last = out.at(-1);
    if (last?.owner === one.owner) last.count++;
    else out.push({ owner: one.owner, name: one.name.split(DOT)[0]!, count: 1 });
  }
  return out;
});
const DOT = " \u00b7 ";
const parameterOf = (name: string) => name.split(DOT).slice(1).join(DOT) || name;

function nameOf(source: string): string {
  return movement.routes.map(({ id, source: s }) => (s === source ? movement.said(id)?.source : undefined)).find(Boolean) ?? source;
}

function at(source: string, owner: string, parameter: string): Route[] {
  return props.routes.filter((one) => one.source === source && one.target === owner && one.parameter === parameter);
}

/** Radius of a dot, which with half its outline has to stay within 13: else it is no longer round. */
function size(route: Route): number {
  const said = movement.said(route.id);
  const p = movement.kindOf(route.target)?.parameters.find(({ id }) => id === route.parameter);
  if (!said || !p) return 4;
  const whole = p.scale === "log" ? Math.log2(p.high / p.low) : p.high - p.low;
  return 4 + 8 * Math.sqrt(Math.min(1, Math.abs(said.most - said.least) / whole));
}
const petal = (owner: string) => movement.kindOf(owner)?.petal;
</script>

<template>
  <table class="mt-1 border-collapse text-left" aria-label="Routes as a grid">
    <thead>
      <tr>
        <td />
        <th
          v-for="group in groups"
          :key="group.owner"
          scope="colgroup"
          :colspan="group.count"
          class="border-l border-hairline px-1 text-left font-normal"
        >
          <span
            class="petal-words block truncate font-serif"
            :style="{
              maxWidth: `${36 * group.count - 8}px`,
              '--petal': petal(group.owner) ? `var(--${petal(group.owner)})` : 'var(--ink)',
            }"
            :title="group.name"
            >{{ group.name }}</span
          >
        </th>
      </tr>
      <tr>
        <th class="min-w-32 pr-3 align-bottom font-normal text-soft">moves</th>
        <th
          v-for="one in targets"
          :key="`${one.owner}.${one.parameter}`"
          scope="col"
          class="h-20 w-9 min-w-9 border-b border-l border-hairline align-bottom font-normal"
        >
          <button
            class="max-h-20 truncate hover:underline"
            :style="{ writingMode: 'vertical-rl', transform: 'rotate(180deg)' }"
            :title="one.name"
            :aria-label="one.name"
            @click="movement.ask(one.owner, one.parameter)"
          >
            {{ parameterOf(one.name) }}
          </button>
        </th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="source in sources" :key="source.id" class="hover:bg-sheet">
        <th scope="row" class="max-w-44 truncate border-b border-hairline pr-3 font-serif leading-[23px] font-normal italic">
          {{ source.name }}
        </th>
        <td v-for="one in targets" :key="`${one.owner}.${one.parameter}`" class="border-b border-l border-hairline text-center">
          <button
            v-for="route in at(source.id, one.owner, one.parameter)"
            :key="route.id"
            class="block mx-auto"
            :title="`${movement.said(route.id)?.source} moves ${one.name} ${movement.said(route.id)?.amount}`"
            :aria-label="`${movement.said(route.id)?.source} moves ${one.name} ${movement.said(route.id)?.amount}`"
            @click="movement.ask(one.owner, one.parameter, route.id)"
          >
            <svg class="block" width="22" height="22" viewBox="-13 -13 26 26" aria-hidden="true">
              <circle
                :r="size(route)"
                :fill="route.depth < 0 ? 'none' : petal(one.owner) ? `var(--${petal(one.owner)})` : 'var(--ink-soft)'"
                :stroke="petal(one.owner) ? `var(--${petal(one.owner)})` : 'var(--ink-soft)'"
                stroke-width="1.6"
                :opacity="route.on ? 1 : 0.35"
              />
            </svg>
          </button>
        </td>
      </tr>
    </tbody>
  </table>
  <p class="mt-2 text-xs text-soft">A dot is as large as the share of its range that a route moves; an open one moves it the other way.</p>
</template>
