<script setup lang="ts">
/** The rules of the chosen layer or of the whole, in the groups the registry names. */
import { computed, ref } from "vue";

import { type Declared, isChoice, type Parameter, type Value } from "../../api/types";
import PetalMark from "../../charts/PetalMark.vue";
import Segments from "../../controls/Segments.vue";
import { matters } from "../../controls/declared";
import { useInstrument } from "../../stores/instrument";
import { useLive } from "../../stores/live";
import { useLiveMovement } from "../../stores/movement";
import { WHOLE } from "../../stores/owners";
import { useProject } from "../../stores/project";
import ColourRow from "./ColourRow.vue";
import EnvelopeChart from "./EnvelopeChart.vue";
import EnvelopeDepth from "./EnvelopeDepth.vue";
import LayerLoops from "./LayerLoops.vue";
import MorphPicture from "./MorphPicture.vue";
import PathChart from "./PathChart.vue";
import SegmentMap from "./SegmentMap.vue";
import SettingsGroup from "./SettingsGroup.vue";
import SoundsList from "./SoundsList.vue";
import StackPanel from "./StackPanel.vue";
import TouchRoutes from "./TouchRoutes.vue";
import TuningFile from "./TuningFile.vue";

const instrument = useInstrument();
const live = useLive();
const project = useProject();
useLiveMovement();
type Face = "sound" | "tone" | "shape" | "touch" | "whole";
const face = ref<Face>("sound");

const FACES: { value: Face; word: string; help: string }[] = [
  { value: "sound", word: "sound", help: "What the layer's source does" },
  { value: "tone", word: "tone", help: "Filter, saturation and reduction" },
  { value: "shape", word: "shape", help: "Envelope and output" },
  { value: "touch", word: "touch", help: "Ranges, what touch moves, and moving the layer above" },
  { value: "whole", word: "whole", help: "Voices, glide, stack and tuning of the instrument" },
];
/** Headings that have a face of their own; all others belong to the sound. */
const PLACED: Record<string, Face> = {
  Tone: "tone",
  "Tone shape": "tone",
  Grit: "tone",
  Shape: "shape",
  Output: "shape",
  Range: "touch",
};
const ENVELOPES: Record<string, { prefix: string; what: string }> = {
  Shape: { prefix: "", what: "Level envelope" },
  "Tone shape": { prefix: "tone_", what: "Second envelope" },
};

const layer = computed(() => instrument.layer!);
const target = computed(() => (face.value === "whole" ? WHOLE : layer.value.id));
const values = computed(() => instrument.owners.get(target.value)!.values);
/** What colours the layer stands among its tone; all other effects have the mix to themselves. */
const effects = computed(() =>
  layer.value.effects.flatMap((one) => {
    const kind = project.catalogue.effect_kinds.find(({ id }) => id === one.kind);
    const list = kind?.declared.filter(({ group }) => group !== "Effect");
    return kind && one.kind === "colour" ? [{ one, name: kind.name, list: list! }] : [];
  }),
);
const groups = computed(() => {
  const all = face.value === "whole" ? project.catalogue.whole : (project.catalogue.kinds[layer.value.kind] ?? []);
  const found = new Map<string, Declared[]>();
  for (const one of all) {
    const here = face.value === "whole" || (PLACED[one.group] ?? "sound") === face.value;
    // choosing is only a question among several sounds; mute and solo stand beside the name
    const alone = layer.value.sounds.length < 2;
    const idle = ((one.group === "Choosing" || one.group === "Morph") && alone) || one.id === "mute" || one.id === "solo";
    if (here && !idle) found.set(one.group, [...(found.get(one.group) ?? []), one]);
  }
  const own = [...found]
    .map(([name, list]) => ({ name, list }))
    // a heading stands over something
    .filter(({ list }) => list.some((one) => matters(one, all, values.value)));
  if (face.value !== "sound") return own;
  // what the source itself does comes first; tuning and what it does to other layers after it
  const late = ["Pitch", "Chain"];
  return [...own.filter(({ name }) => !late.includes(name)), ...own.filter(({ name }) => late.includes(name))];
});
const rulesOf = (list: Declared[]) => list.filter((one): one is Parameter => !isChoice(one));
const needles = computed(() => {
  const heads = live.look.layers[instrument.layerIndex]?.heads.map(([place]) => 100 * place) ?? [];
  return { position: heads };
});

function move(id: string, value: Value): void {
  instrument.move(target.value, id, value);
}

function restEffect(effect: string, id: string, value: Value, name: string): void {
  instrument.move(effect, id, value);
  instrument.rest(effect, { [id]: value }, name);
}

function rest(id: string, value: Value, name: string): void {
  instrument.move(target.value, id, value);
  instrument.rest(target.value, { [id]: value }, name);
}
</script>

<template>
  <aside
    class="flex w-[22rem] shrink-0 flex-col border-l border-hairline"
    aria-label="Settings"
    :style="{ '--petal': `var(--${layer.petal})` }"
  >
    <div class="px-4 pt-4 pb-2">
      <div class="flex items-center gap-2">
        <PetalMark v-if="face !== 'whole'" :petal="layer.petal" />
        <h2 class="min-w-0 flex-1 truncate font-serif text-lg leading-tight">
          {{ face === "whole" ? instrument.document?.name : layer.name }}
        </h2>
        <span class="text-soft">{{ face === "whole" ? "all layers" : layer.kind }}</span>
      </div>
      <Segments v-model="face" label="Settings of" :options="FACES" class="mt-2 -ml-1" />
    </div>
    <div class="flex min-h-0 flex-1 flex-col gap-2.5 overflow-y-auto px-4 pb-4">
      <SoundsList v-if="face === 'sound'" :layer="layer" :index="instrument.layerIndex" />
      <TouchRoutes v-if="face === 'touch'" :layer="layer" />
      <SettingsGroup
        v-for="group in groups"
        :key="group.name"
        :name="group.name"
        :declared="group.list"
        :values="values"
        :needles="needles"
        :owner="target"
        @move="move"
        @rest="rest"
      >
        <EnvelopeChart
          v-if="ENVELOPES[group.name]"
          class="mb-2"
          :settings="layer.settings"
          :parameters="rulesOf(group.list)"
          v-bind="ENVELOPES[group.name]!"
          @move="move"
          @rest="(values, label) => instrument.rest(target, values, label)"
        />
        <EnvelopeDepth v-if="group.name === 'Tone shape'" :layer="layer" />
        <PathChart
          v-if="group.name === 'Where' && values.motion === 'path' && values.gather !== 'a likeness'"
          :given="layer.path"
          :at="`/layers/${instrument.layerIndex}/path`"
          what="path"
        />
        <PathChart
          v-if="group.name === 'Colour' && values.drawn"
          :given="layer.drawn_filter"
          :at="`/layers/${instrument.layerIndex}/drawn_filter`"
          what="drawn_filter"
        />
        <LayerLoops v-if="group.name === 'Loop' && layer.kind === 'loop'" :layer="layer" />
        <MorphPicture v-if="group.name === 'Morph'" :layer="layer" :index="instrument.layerIndex" />
        <SegmentMap v-if="group.name === 'Where' && values.gather === 'a likeness'" :layer="layer" :index="instrument.layerIndex" />
        <StackPanel v-if="group.name === 'Stack'" />
        <TuningFile v-if="group.name === 'Tuning'" />
      </SettingsGroup>
      <template v-if="face === 'tone'">
        <SettingsGroup
          v-for="{ one, name, list } in effects"
          :key="one.id"
          :name="name"
          :declared="list"
          :values="one.settings"
          :owner="one.id"
          @move="(id, value) => instrument.move(one.id, id, value)"
          @rest="(id, value, word) => restEffect(one.id, id, value, word)"
        >
          <ColourRow v-if="one.kind === 'colour'" :layer="layer" :index="instrument.layerIndex" />
        </SettingsGroup>
        <section v-if="!layer.effects.some(({ kind }) => kind === 'colour')" aria-label="Colouring">
          <h3 class="heading mb-1">Colouring</h3>
          <ColourRow :layer="layer" :index="instrument.layerIndex" />
        </section>
      </template>
    </div>
  </aside>
</template>
