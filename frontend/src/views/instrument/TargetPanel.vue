<script setup lang="ts">
/** What moves one control, each contribution now, their sum; and the chosen route's own settings. */
import { computed, onBeforeUnmount, onMounted, ref, watch } from "vue";

import type { Parameter } from "../../api/types";
import PetalMark from "../../charts/PetalMark.vue";
import Rule from "../../controls/Rule.vue";
import SourceChooser from "../../controls/SourceChooser.vue";
import { spoken } from "../../controls/scale";
import { useInstrument } from "../../stores/instrument";
import { sayIfNoMidi } from "../../live/midi";
import { useLive } from "../../stores/live";
import { useLiveMovement, useMovement } from "../../stores/movement";
import { useSnapshots } from "../../stores/snapshots";
import RouteSettings from "./RouteSettings.vue";

const props = defineProps<{ owner: string; parameterId: string; routeId: string | null }>();
const instrument = useInstrument();
const movement = useMovement();
const live = useLive();
const snapshots = useSnapshots();
const learning = ref(false);

const of = computed(() => movement.kindOf(props.owner));
const parameter = computed(() => of.value?.parameters.find(({ id }) => id === props.parameterId));
const routes = computed(() => movement.into(props.owner, props.parameterId));
const chosen = computed(() => routes.value.find(({ id }) => id === props.routeId) ?? routes.value[0]);
const band = computed(() => movement.bands.get(`${props.owner}.${props.parameterId}`));
const own = computed(() => (chosen.value ? movement.said(chosen.value.id) : undefined));
const now = computed(() => movement.now(props.owner, props.parameterId));
const value = computed(() => movement.setTo(props.owner, props.parameterId));
const title = computed(() => {
  const route = movement.routes.find(({ id }) => id === props.owner);
  return route ? `${movement.said(route.id)?.source} to ${movement.said(route.id)?.parameter}` : of.value?.name;
});
const petal = computed(() => of.value?.petal);

/** The same rule, counting what is added. */
function amounts(p: Parameter): Parameter {
  const log = p.scale === "log";
  return { ...p, unit: log ? "oct" : p.unit, low: -9, high: log ? 9 : p.high - p.low, scale: "linear", whole_number: false, marks: [] };
}
const contribution = (id: string) => {
  void movement.beat;
  return movement.trace(id).at(-1) ?? 0;
};
const scale = computed(() =>
  Math.max(...routes.value.flatMap(({ id }) => [movement.said(id)?.least ?? 0, movement.said(id)?.most ?? 0].map(Math.abs)), 1e-9),
);

function move(to: number): void {
  instrument.move(props.owner, props.parameterId, to);
}

function rest(to: number): void {
  instrument.rest(props.owner, { [props.parameterId]: to }, parameter.value?.name ?? "");
}

async function add(from: string): Promise<void> {
  learning.value = false;
  if (from && (await instrument.wire({ do: "route", source: from, target: props.owner, parameter: props.parameterId }))) {
    movement.ask(props.owner, props.parameterId, movement.routes.at(-1)?.id ?? null);
  }
}

/** Wait for a controller; say so where none can come. */
function learn(): void {
  learning.value = !learning.value;
  if (learning.value) sayIfNoMidi();
}

watch(
  () => live.touched,
  (touched) => touched !== null && learning.value && void add(`controller:${touched.controller}`),
);

function land(low: number, high: number): void {
  if (chosen.value) void instrument.wire({ do: "land", route: chosen.value.id, low, high });
}

/** What the snapshots on the map have of it, where they differ. */
const mapped = computed(() => snapshots.told.blended.find(({ owner, parameter: id }) => owner === props.owner && id === props.parameterId));
onMounted(() => snapshots.users++);
onBeforeUnmount(() => snapshots.users--);

useLiveMovement();
</script>

<template>
  <aside
    class="flex w-[22rem] shrink-0 flex-col border-l border-hairline"
    aria-label="What moves this"
    :style="{ '--petal': petal ? `var(--${petal})` : 'var(--ink-soft)' }"
    @keydown.esc.stop="movement.chosen = null"
  >
    <div class="flex items-center gap-2 px-4 pt-4 pb-2">
      <PetalMark v-if="petal" :petal="petal" />
      <h2 class="line-clamp-2 min-w-0 flex-1 font-serif text-lg leading-tight">{{ title }}, {{ parameter?.name }}</h2>
      <button class="quiet text-focus" title="Back to the settings (Esc)" @click="movement.chosen = null">Back</button>
    </div>
    <div v-if="parameter" class="flex min-h-0 flex-1 flex-col gap-3 overflow-y-auto px-4 pb-4">
      <Rule
        :parameter="{ ...parameter, name: 'set to' }"
        :value="value"
        :band="chosen && own ? [own.low, own.high] : undefined"
        :ends="!!chosen"
        :needles="now ? [now.value] : []"
        @move="move"
        @rest="rest"
        @band="land"
      />
      <p v-if="band" class="-mt-2 text-soft">
        moves between {{ spoken(parameter, band.low) }} and {{ spoken(parameter, band.high)
        }}<template v-if="now">, now <span data-testid="value-now">{{ spoken(parameter, now.value) }}</span></template>
      </p>
      <p v-if="mapped" class="text-soft" data-testid="mapped">The map sets it to what lies between {{ mapped.values.join(", ") }}.</p>
      <section aria-label="What moves it">
        <h3 class="heading mb-1">What moves it</h3>
        <p v-if="!routes.length" class="text-soft">
          Nothing yet. Choose a source below, then drag the ends of its range on the rule above.
        </p>
        <button
          v-for="route in routes"
          :key="route.id"
          class="grid w-full grid-cols-[minmax(0,1fr)_7rem_5rem] items-center gap-2 rounded-sm px-1 py-1 text-left"
          :class="route === chosen ? 'bg-sheet' : 'hover:bg-sheet'"
          :aria-pressed="route === chosen"
          @click="movement.ask(owner, parameterId, route.id)"
          @mouseenter="movement.lit = route.id"
          @mouseleave="movement.lit = null"
        >
          <span class="truncate font-serif italic" :class="{ 'opacity-60': !route.on }">{{ movement.said(route.id)?.source }}</span>
          <span class="relative h-[6px] bg-hairline" aria-hidden="true">
            <i
              class="absolute top-0 h-full bg-[var(--petal)]"
              :style="{
                left: `${50 + 50 * Math.min(0, contribution(route.id) / scale)}%`,
                width: `${50 * Math.min(1, Math.abs(contribution(route.id) / scale))}%`,
              }"
            />
            <i class="absolute -top-[2px] left-1/2 h-[10px] w-px bg-ink" />
          </span>
          <span class="text-right font-medium">{{ spoken(amounts(parameter), Number(contribution(route.id).toPrecision(3))) }}</span>
        </button>
        <p v-if="now" class="mt-1 flex justify-between border-t border-hairline pt-1.5">
          <span class="text-soft">together</span
          ><span class="font-medium" :class="{ 'text-warn': now.clamped }"
            >{{ spoken(amounts(parameter), Number(now.added.toPrecision(3))) }},
            {{ now.clamped ? "at the end of its range" : "within its range" }}</span
          >
        </p>
        <div class="mt-2 flex gap-1.5">
          <SourceChooser
            class="min-w-0 flex-1"
            :model-value="''"
            word="add a source"
            label="A source that is to move it"
            @update:model-value="add"
          />
          <button
            type="button"
            class="quiet"
            :class="{ 'font-semibold text-warn': learning }"
            title="Then move a controller of your keyboard"
            :aria-pressed="learning"
            @keydown.esc.stop="learning = false"
            @click="learn"
          >
            {{ learning ? "Move a controller" : "Learn" }}
          </button>
        </div>
      </section>
      <RouteSettings v-if="chosen" :key="chosen.id" :route="chosen" :parameter="parameter" />
    </div>
  </aside>
</template>
