<script setup lang="ts">
/** The sounds of a layer: which there are, when each is picked, and which one plays now. */
import { type Layer, number, word } from "../../api/types";
import { computed, ref } from "vue";

import TypedInPlace from "../../controls/TypedInPlace.vue";
import NoteEntry from "../../controls/NoteEntry.vue";
import { useInstrument } from "../../stores/instrument";
import { viewOf } from "./layerViews";
import { useLive } from "../../stores/live";
import { useProject } from "../../stores/project";
import ShelfPicker from "../../controls/ShelfPicker.vue";
import { useSoundEntries } from "./soundEntries";

const props = defineProps<{ layer: Layer; index: number }>();
const instrument = useInstrument();
const live = useLive();
const project = useProject();
const picking = ref<"add" | number | null>(null);

const kind = computed(() => project.catalogue.layer_kinds.find(({ id }) => id === props.layer.kind));
const many = computed(() => kind.value?.sounds === "many");
/** The sounds are a way that a morph leads along, in this order. */
const onPath = computed(() => kind.value?.sounds === "path");
const full = computed(() => props.layer.sounds.length >= (kind.value?.most_sounds ?? 1));
const playing = computed(() => {
  const look = live.look.layers[props.index];
  return new Set([...(look?.heads ?? []).map(([, sound]) => sound), ...(look?.grains ?? []).map((grain) => grain[4])]);
});
const { entry, setRoot, typedWeight, typedRange, typedStretch, stretch, typedCycle, range } = useSoundEntries(
  () => props.layer,
  () => props.index,
);
const spread = computed(() => props.layer.sounds.length > 1);

async function picked(recording: number): Promise<void> {
  const which = picking.value;
  picking.value = null;
  if (which === "add") await instrument.act({ do: "add sounds", layer: props.index, recordings: [recording] });
  else if (which !== null) await instrument.act({ do: "swap sound", layer: props.index, which, recording });
}
</script>

<template>
  <section v-if="kind" aria-label="Sounds">
    <h3 v-if="many || onPath || layer.sounds.length" class="heading mb-1">
      {{ layer.sounds.length > 1 ? (onPath ? `A way through ${layer.sounds.length} sounds` : `${layer.sounds.length} sounds`) : "Sound" }}
    </h3>
    <ul :class="layer.sounds.length > 6 ? 'max-h-44 overflow-y-auto' : ''">
      <li v-for="(sound, i) in layer.sounds" :key="i" class="flex items-baseline gap-2 py-0.5">
        <i
          class="size-2 shrink-0 rounded-full border"
          :class="playing.has(i) ? 'border-[var(--petal)] bg-[var(--petal)]' : 'border-hairline'"
          :title="playing.has(i) ? 'sounds now' : ''"
        />
        <span
          class="min-w-0 flex-1 truncate font-serif"
          :class="{ 'font-semibold': spread && playing.has(i) }"
          :title="sound.name || layer.name"
          >{{ sound.name || layer.name }}</span
        >
        <TypedInPlace
          v-if="onPath"
          :shown="stretch(i)"
          label="Stretch"
          help="The stretch that has its character, such as 2.1 to 4.5, in seconds; or all"
          entry-class="w-24"
          shown-class="text-xs text-soft"
          @typed="typedStretch(i, $event)"
        />
        <template v-if="spread && many">
          <TypedInPlace
            v-if="word(layer.settings, 'choose') === 'range'"
            :shown="range(i)"
            label="Keys that pick it"
            help="Keys that pick it, such as C2 to B3"
            entry-class="w-24"
            shown-class="text-xs text-soft"
            @typed="typedRange(i, $event)"
          />
          <TypedInPlace
            v-else-if="word(layer.settings, 'choose') === 'chance'"
            :shown="`× ${number(entry(i), 'weight')}`"
            :start="String(number(entry(i), 'weight'))"
            label="Weight"
            help="How often chance picks it"
            entry-class="w-12"
            shown-class="text-xs text-soft"
            @typed="typedWeight(i, $event)"
          />
        </template>
        <NoteEntry
          v-if="kind.rooted"
          :note="sound.root"
          label="Root note"
          or-none
          help="Key at which the sound plays as recorded; without a pitch, C4 does. Click to correct."
          @change="setRoot(i, $event)"
        />
        <button
          v-if="onPath && spread"
          class="text-soft hover:text-ink disabled:opacity-40"
          :disabled="i === 0"
          :aria-label="`Move ${sound.name} earlier`"
          title="Earlier on the way"
          @click="instrument.act({ do: 'move sound', layer: index, which: i, to: i - 1 })"
        >
          &uarr;
        </button>
        <button class="text-soft hover:text-ink" title="Another sound in its place, every setting kept" @click="picking = i">Swap</button>
        <button
          v-if="spread"
          class="text-soft hover:text-ink"
          :aria-label="`Remove ${sound.name}`"
          title="Take it out of the layer"
          @click="instrument.act({ do: 'remove sound', layer: index, which: i })"
        >
          &times;
        </button>
      </li>
    </ul>
    <div class="mt-0.5 flex flex-wrap items-center gap-x-1">
      <button
        v-if="many || onPath"
        class="quiet !px-1 text-focus"
        :disabled="full"
        :title="onPath ? 'One more sound to morph into' : undefined"
        @click="picking = 'add'"
      >
        + Sound
      </button>
      <button v-else-if="!layer.sounds.length" class="quiet -ml-1 !px-1 text-focus" @click="picking = 0">
        {{ viewOf(layer.kind).asks ?? "Choose a sound" }}
      </button>
      <label v-else-if="viewOf(layer.kind).frames" class="text-soft"
        >a frame has
        <TypedInPlace
          :shown="String(layer.sounds[0]!.cycle ?? 2048)"
          label="Frames of a cycle"
          help="Samples of one frame in the file, 16 to 16384"
          entry-class="w-16"
          shown-class="font-semibold text-ink"
          @typed="typedCycle"
        />
        samples</label
      >
      <template v-if="spread && many">
        <span class="ml-2 text-soft">spread evenly</span>
        <button class="quiet !px-1" @click="instrument.act({ do: 'spread', layer: index, by: 'key' })">by key</button>
        <button class="quiet !px-1" @click="instrument.act({ do: 'spread', layer: index, by: 'velocity' })">velocity</button>
        <button class="quiet !px-1" @click="instrument.act({ do: 'spread', layer: index, by: 'control' })">control</button>
      </template>
    </div>
    <ShelfPicker :open="picking !== null" title="Choose a sound" @close="picking = null" @pick="picked" />
  </section>
</template>
