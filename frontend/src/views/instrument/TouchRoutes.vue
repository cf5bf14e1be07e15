<script setup lang="ts">
/** What touch does to a layer: its routes, each with its depth on a rule in real units. */
import { useLocalStorage } from "@vueuse/core";
import { computed, ref, watch } from "vue";

import { isChoice, type Layer, type Parameter, type Route } from "../../api/types";
import Rule from "../../controls/Rule.vue";
import { depthRule } from "../../controls/scale";
import SourceChooser from "../../controls/SourceChooser.vue";
import TargetChooser from "../../controls/TargetChooser.vue";
import { useInstrument } from "../../stores/instrument";
import { sayIfNoMidi } from "../../live/midi";
import { useLive } from "../../stores/live";
import { useProject } from "../../stores/project";

const props = defineProps<{ layer: Layer }>();
const instrument = useInstrument();
const project = useProject();
const live = useLive();
const learning = ref<number | null>(null);
const source = ref("slide");

const targets = computed(() =>
  (project.catalogue.kinds[props.layer.kind] ?? []).filter((one): one is Parameter => !isChoice(one) && one.movable),
);
const mine = computed(() =>
  (instrument.document?.routes ?? [])
    .map((route, index) => ({ route, index, parameter: targets.value.find((one) => one.id === route.parameter) }))
    .filter((one): one is { route: Route; index: number; parameter: Parameter } => one.route.target === props.layer.id && !!one.parameter),
);

function sourceName(source: string): string {
  const [kind, id] = source.split(":");
  if (kind === "controller") return `controller ${id}`;
  const modulator = instrument.document?.modulators.find((one) => one.id === id);
  return modulator?.name ?? project.catalogue.sources.find((one) => one.id === source)?.name ?? source;
}

/** All of it in one line, until something is to be changed. */
const unfolded = useLocalStorage("bloom-touch", false);
const inShort = computed(() => mine.value.map(({ route, parameter }) => `${sourceName(route.source)} to ${parameter.name}`).join(", "));

/** The depth as a value of its own, in the unit of what it moves. */
function depthOf(route: Route, p: Parameter): Parameter {
  const way = route.polarity === "inverted" ? "the other way up" : "as it comes";
  const source = sourceName(route.source);
  const help = `How far ${source}, ${way}, moves ${p.group.toLowerCase()} ${p.name}.`;
  return depthRule(p, { id: `route-${route.id}`, name: `${source} to ${p.name}`, help });
}

function change(index: number, values: Partial<Route>, label: string): void {
  const patch = Object.entries(values).map(([key, value]) => ({ op: "replace" as const, path: `/routes/${index}/${key}`, value }));
  void instrument.edit(label, patch);
}

function add(parameter: string): void {
  const p = targets.value.find(({ id }) => id === parameter);
  if (!p) return;
  const depth = p.scale === "log" ? 1 : Number(((p.high - p.low) / 5).toFixed(2));
  void instrument.wire({ do: "route", source: source.value, target: props.layer.id, parameter: p.id, depth });
}

/** Wait for a controller; say so where none can come. */
function learn(index: number): void {
  learning.value = learning.value === index ? null : index;
  if (learning.value !== null) sayIfNoMidi();
}

watch(
  () => live.touched,
  (touched) => {
    if (touched === null || learning.value === null) return;
    change(learning.value, { source: `controller:${touched.controller}` }, "Learn a controller");
    learning.value = null;
  },
);
</script>

<template>
  <section aria-label="Touch">
    <h3 class="heading mb-1">Touch</h3>
    <p v-if="!mine.length" class="text-soft">Nothing moves this layer yet.</p>
    <p v-else class="mb-1 flex items-baseline gap-2">
      <span class="min-w-0 flex-1 truncate text-soft" :title="inShort">{{ inShort }}</span>
      <button class="quiet text-focus" :aria-expanded="unfolded" @click="unfolded = !unfolded">{{ unfolded ? "Fold" : "Change" }}</button>
    </p>
    <div v-for="{ route, index, parameter } in unfolded ? mine : []" :key="route.id" class="mb-1.5">
      <Rule
        :parameter="depthOf(route, parameter)"
        :value="route.depth"
        @move="instrument.move(route.id, 'depth', $event)"
        @rest="change(index, { depth: $event }, 'depth of a route')"
      />
      <div class="mt-1 flex flex-wrap items-center gap-x-2 text-xs text-soft">
        <button
          class="hover:text-ink"
          :title="'Turn the source upside down'"
          @click="change(index, { polarity: route.polarity === 'inverted' ? 'as is' : 'inverted' }, 'polarity')"
        >
          {{ route.polarity === "inverted" ? "upside down" : "as it comes" }}
        </button>
        <button
          class="hover:text-ink"
          :class="{ 'font-semibold text-warn': learning === index }"
          title="Then move a controller of your keyboard"
          @click="learn(index)"
          @keydown.esc.stop="learning = null"
        >
          {{ learning === index ? "Move a controller" : "Learn" }}
        </button>
        <button class="ml-auto hover:text-ink" @click="instrument.edit('Remove a route', [{ op: 'remove', path: `/routes/${index}` }])">
          Remove
        </button>
      </div>
    </div>
    <div class="mt-2 flex items-center gap-1.5">
      <SourceChooser v-model="source" class="w-28" label="What moves" played />
      <span class="text-soft">to</span>
      <TargetChooser
        class="min-w-0 flex-1"
        word="a control"
        label="What is moved"
        :of="layer.id"
        @choose="(_, parameter) => add(parameter)"
      />
    </div>
  </section>
</template>
