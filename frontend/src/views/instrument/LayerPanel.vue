<script setup lang="ts">
/** The rules of the chosen layer or of the whole, in the groups the registry names. */
import { computed, ref } from "vue";

import type { Parameter } from "../../api/client";
import PetalMark from "../../charts/PetalMark.vue";
import Rule from "../../controls/Rule.vue";
import Segments from "../../controls/Segments.vue";
import { useInstrument } from "../../stores/instrument";
import { useLive } from "../../stores/live";
import { useProject } from "../../stores/project";
import EnvelopeChart from "./EnvelopeChart.vue";

const instrument = useInstrument();
const live = useLive();
const project = useProject();
const face = ref<"sound" | "play" | "whole">("sound");

const FACES = [
  { value: "sound" as const, word: "sound", help: "What the grains do" },
  { value: "play" as const, word: "shape and touch", help: "Envelope, touch and output of the layer" },
  { value: "whole" as const, word: "whole", help: "Settings of the whole instrument" },
];
const PLAY_GROUPS = ["Output", "Touch", "Shape"];

const layer = computed(() => instrument.layer!);
const target = computed(() => (face.value === "whole" ? null : instrument.layerIndex));
const values = computed(() => (target.value === null ? instrument.document!.settings : layer.value.settings));
const parameters = computed(() => {
  if (face.value === "whole") return project.catalogue.whole;
  const all = project.catalogue.kinds[layer.value.kind] ?? [];
  return all.filter((p) => PLAY_GROUPS.includes(p.group) === (face.value === "play"));
});
const groups = computed(() => {
  const found = new Map<string, Parameter[]>();
  for (const p of parameters.value) found.set(p.group, [...(found.get(p.group) ?? []), p]);
  return [...found].map(([name, list]) => ({ name, list }));
});

function needles(p: Parameter): number[] | undefined {
  if (p.id !== "position") return undefined;
  return live.look.layers[instrument.layerIndex]?.heads.map((head) => 100 * head);
}

/** The first rule of a group stands alone when the group is odd: it is the one that matters most. */
const wide = (list: Parameter[], i: number) => i === 0 && list.length % 2 === 1;
</script>

<template>
  <aside class="flex w-[22rem] shrink-0 flex-col gap-2.5 overflow-y-auto border-l border-hairline px-4 py-4" aria-label="Settings" :style="{ '--petal': `var(--${layer.petal})` }">
    <div class="flex items-center gap-2">
      <PetalMark :petal="layer.petal" />
      <h2 class="min-w-0 flex-1 truncate font-serif text-lg leading-tight">{{ face === "whole" ? instrument.document?.name : layer.name }}</h2>
      <span class="text-soft">{{ face === "whole" ? "all layers" : layer.kind }}</span>
    </div>
    <Segments v-model="face" label="Settings of" :options="FACES" class="-ml-1" />
    <section v-for="group in groups" :key="group.name">
      <h3 class="heading mb-1">{{ group.name }}</h3>
      <EnvelopeChart v-if="group.name === 'Shape'" :layer="layer" :index="instrument.layerIndex" :parameters="group.list" class="mb-2" />
      <div class="grid grid-cols-2 gap-x-5 gap-y-1">
        <Rule v-for="(p, i) in group.list" :key="p.id" :class="wide(group.list, i) ? 'col-span-2' : ''" :parameter="p" :value="values[p.id] ?? p.default" :needles="needles(p)" @move="instrument.move(target, p.id, $event)" @rest="instrument.rest(target, { [p.id]: $event }, p.name)" />
      </div>
    </section>
  </aside>
</template>
