<script setup lang="ts">
/** How far the second envelope moves the cutoff: the depth of an ordinary route, made when it is first moved. */
import { computed, ref } from "vue";

import type { Layer } from "../../api/types";
import Rule from "../../controls/Rule.vue";
import { ownRule } from "../../controls/scale";
import { useInstrument } from "../../stores/instrument";

const props = defineProps<{ layer: Layer }>();
const instrument = useInstrument();
const dragged = ref<number | null>(null);

const RULE = ownRule({
  id: "tone_envelope_depth",
  name: "moves the cutoff by",
  group: "Tone shape",
  unit: "oct",
  low: -6,
  high: 6,
  default: 0,
  help: "How far the second envelope moves the filter's corner, in octaves.",
});
const index = computed(() =>
  (instrument.document?.routes ?? []).findIndex(
    ({ source, target, parameter }) => source === "tone_envelope" && target === props.layer.id && parameter === "cutoff",
  ),
);
const depth = computed(() => dragged.value ?? instrument.document?.routes[index.value]?.depth ?? 0);

function move(value: number): void {
  const route = instrument.document?.routes[index.value];
  if (route) instrument.move(route.id, "depth", value);
  else dragged.value = value;
}

function rest(value: number): void {
  dragged.value = null;
  const label = "second envelope to cutoff";
  if (index.value >= 0) void instrument.edit(label, [{ op: "replace", path: `/routes/${index.value}/depth`, value }]);
  else void instrument.wire({ do: "route", source: "tone_envelope", target: props.layer.id, parameter: "cutoff", depth: value });
}
</script>

<template>
  <Rule class="mb-1" :parameter="RULE" :value="depth" @move="move" @rest="rest" />
</template>
