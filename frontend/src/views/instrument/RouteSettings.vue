<script setup lang="ts">
/** One route: depth or range, polarity, curve, easing, a second source, mirroring. */
import { computed, ref } from "vue";

import type { Parameter, Point, Route } from "../../api/types";
import Rule from "../../controls/Rule.vue";
import { depthRule } from "../../controls/scale";
import Segments from "../../controls/Segments.vue";
import SourceChooser from "../../controls/SourceChooser.vue";
import TargetChooser from "../../controls/TargetChooser.vue";
import { useInstrument } from "../../stores/instrument";
import { useMovement } from "../../stores/movement";
import { useProject } from "../../stores/project";
import CurveChart from "./CurveChart.vue";
import MovedList from "./MovedList.vue";

const props = defineProps<{ route: Route; parameter: Parameter }>();
const instrument = useInstrument();
const movement = useMovement();
const project = useProject();
const drawing = ref(false);

const said = computed(() => movement.said(props.route.id));
const modulator = computed(() => (props.route.source.startsWith("m:") ? props.route.source.split(":")[1]! : null));
const also = computed(() => movement.routes.filter((one) => one.source === props.route.source && one.id !== props.route.id));
const STRAIGHT: Point[] = [
  [0, 0, 0],
  [1, 1, 0],
];
const points = computed(() => (props.route.curve?.points.length ? props.route.curve.points : STRAIGHT));
const polarities = computed(() =>
  project.catalogue.polarities.map((word) => ({ value: word as Route["polarity"], word: word === "inverted" ? "upside down" : word })),
);
const rules = computed(() => project.catalogue.routes);
const depth = computed(() =>
  depthRule(props.parameter, { id: "depth", name: "depth", help: "How far a source at its most moves the control." }),
);
function change(fields: Partial<Route>, label: string): void {
  movement.change(props.route.id, fields, label);
}

async function mirror(target: string, parameter: string): Promise<void> {
  await instrument.wire({ do: "mirror", route: props.route.id, target, parameter });
}

async function remove(): Promise<void> {
  await instrument.wire({ do: "remove", ids: [props.route.id] });
}
</script>

<template>
  <section aria-label="Route">
    <h3 class="heading mb-1.5">
      <span class="font-serif text-base font-normal italic">{{ said?.source }}</span>
    </h3>
    <Rule
      :parameter="depth"
      :value="route.depth"
      @move="instrument.move(route.id, 'depth', $event)"
      @rest="change({ depth: $event }, 'depth of a route')"
    />
    <p v-if="route.span" class="text-xs text-soft">
      lands {{ said?.amount }}
      <button class="ml-1 text-focus hover:underline" @click="change({ span: null }, 'range of a route')">Swing evenly instead</button>
    </p>
    <Segments
      :model-value="route.polarity"
      label="Polarity"
      tight
      class="mt-1.5 -ml-1.5 !flex-nowrap text-xs"
      :options="polarities"
      @update:model-value="change({ polarity: $event }, 'polarity')"
    />
    <div class="mt-2 mb-1 flex items-center gap-2 text-xs text-soft">
      <span>from what comes to what arrives</span>
      <button
        v-if="route.curve"
        class="ml-auto text-focus hover:underline"
        @click="
          change({ curve: null }, 'curve');
          drawing = false;
        "
      >
        Straight
      </button>
      <button class="text-focus hover:underline" :class="{ 'ml-auto': !route.curve }" :aria-pressed="drawing" @click="drawing = !drawing">
        {{ drawing ? "Breakpoints" : "Draw freely" }}
      </button>
    </div>
    <CurveChart
      label="Curve of the route"
      :points="points"
      :free="route.curve?.free"
      :drawing="drawing"
      @points="change({ curve: { points: $event, free: [] } }, 'curve')"
      @free="change({ curve: { points: [], free: $event } }, 'curve')"
    />
    <div class="mt-2 grid grid-cols-3 gap-x-4">
      <Rule
        v-for="p in rules"
        :key="p.id"
        :parameter="{ ...p, movable: p.id === 'amount' }"
        :value="Number(route[p.id as 'rise'])"
        @ask="movement.ask(route.id, p.id)"
        @rest="change({ [p.id]: $event }, p.name)"
      />
    </div>
    <div class="mt-2 flex items-center gap-2">
      <span class="text-soft">scaled by</span>
      <SourceChooser
        class="min-w-0 flex-1"
        :model-value="route.by ?? ''"
        label="Scaled by"
        optional
        @update:model-value="change({ by: $event || null }, 'second source')"
      />
    </div>
    <label class="mt-1.5 flex items-center gap-2"
      ><span class="text-soft">mirror onto</span>
      <TargetChooser
        class="min-w-0 flex-1"
        word="choose"
        label="Mirror onto another control"
        title="The same shape the other way up, scaled to balance this one"
        :without="`${route.target}.${route.parameter}`"
        @choose="mirror"
      />
    </label>
    <div class="mt-2 flex gap-1 -ml-1.5">
      <button class="quiet text-focus" @click="change({ on: !route.on }, route.on ? 'Switch a route off' : 'Switch a route on')">
        {{ route.on ? "Switch off" : "Switch on" }}
      </button>
      <button class="quiet text-focus" @click="remove">Remove</button>
      <button v-if="modulator" class="quiet ml-auto text-focus" @click="movement.show(modulator)">Go to {{ said?.source }}</button>
    </div>
    <div v-if="also.length" class="mt-2">
      <h3 class="heading mb-1">{{ said?.source }} also moves</h3>
      <MovedList :routes="also" />
    </div>
  </section>
</template>
