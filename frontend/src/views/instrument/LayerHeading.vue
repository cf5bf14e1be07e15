<script setup lang="ts">
/** A layer's name and what it is, and what can be done to the layer as a whole. */
import { computed } from "vue";

import { isChoice, type Layer, number, type Parameter } from "../../api/types";
import PetalMark from "../../charts/PetalMark.vue";
import EditableName from "../../controls/EditableName.vue";
import Rule from "../../controls/Rule.vue";
import { useInstrument } from "../../stores/instrument";
import { useMovement } from "../../stores/movement";
import { useProject } from "../../stores/project";
import { decibels } from "../../theme/words";

const props = defineProps<{ layer: Layer; index: number; count: number; chosen: boolean; lost: boolean }>();
defineEmits<{ choose: [] }>();
const instrument = useInstrument();
const movement = useMovement();
const project = useProject();
const s = computed(() => props.layer.settings);
const silent = computed(() => s.value.mute === "on");
const summary = computed(() => {
  const more = props.layer.sounds.length > 1 ? `${props.layer.sounds.length} sounds, ` : "";
  return [`${props.layer.kind}, ${more}${decibels(number(s.value, "level"))} dB`, moves.value].filter(Boolean).join(", ");
});
/** Whom it moves instead of being heard by itself. */
const moves = computed(() =>
  s.value.link === "off" || props.index === 0 ? "" : `moves ${instrument.document?.layers[props.index - 1]?.name}`,
);

function toggle(what: "mute" | "solo"): void {
  const value = s.value[what] === "on" ? "off" : "on";
  instrument.move(props.layer.id, what, value);
  instrument.rest(props.layer.id, { [what]: value }, what);
}

/** Level and pan, where the layer is. */
const output = computed(() =>
  (project.catalogue.kinds[props.layer.kind] ?? []).filter((one): one is Parameter => !isChoice(one) && ["level", "pan"].includes(one.id)),
);
const bypassed = computed(() => props.layer.effects.every(({ settings }) => settings.on === "off"));

function rest(id: string, value: number, name: string): void {
  instrument.move(props.layer.id, id, value);
  instrument.rest(props.layer.id, { [id]: value }, name);
}

function bypass(): void {
  const value = bypassed.value ? "on" : "off";
  const patch = props.layer.effects.map((_, i) => ({
    op: "replace" as const,
    path: `/layers/${props.index}/effects/${i}/settings/on`,
    value,
  }));
  void instrument.edit(bypassed.value ? "Effects on" : "Effects off", patch);
}

function rename(name: string): void {
  void instrument.edit("Rename a layer", [{ op: "replace", path: `/layers/${props.index}/name`, value: name }]);
}
</script>

<template>
  <div class="flex w-44 shrink-0 flex-col pr-3">
    <h2 class="flex min-w-0 gap-2 font-serif text-base leading-tight" :class="{ 'text-soft': silent }">
      <PetalMark class="mt-0.5 shrink-0" :petal="layer.petal" />
      <EditableName v-if="chosen" wrap class="min-w-0" :name="layer.name" what="layer" @rename="rename" />
      <button v-else class="min-w-0 flex-1 truncate text-left" :title="`${layer.name}: ${summary}`" @click.stop="$emit('choose')">
        {{ layer.name }}
      </button>
      <button
        v-if="!chosen && layer.effects.length"
        class="shrink-0 font-sans text-xs"
        :class="bypassed ? 'text-soft line-through' : 'font-medium'"
        :aria-pressed="!bypassed"
        :aria-label="`Effects of ${layer.name}`"
        title="Hear the layer with or without its effects"
        @click.stop="bypass"
      >
        FX
      </button>
    </h2>
    <p v-if="chosen" class="text-soft" :title="summary">{{ summary }}</p>
    <div v-else class="flex flex-col" @click.stop>
      <Rule
        v-for="one in moves ? output.slice(0, 1) : output"
        :key="one.id"
        compact
        :parameter="one"
        :value="number(s, one.id)"
        @ask="movement.ask(layer.id, one.id)"
        @move="instrument.move(layer.id, one.id, $event)"
        @rest="rest(one.id, $event, one.name)"
      />
      <span v-if="moves" class="truncate text-xs text-soft" :title="moves">{{ moves }}</span>
    </div>
    <div v-if="chosen" class="mt-1 -ml-1 flex flex-wrap items-center">
      <button
        class="quiet !px-1"
        :aria-pressed="s.solo === 'on'"
        :class="{ 'bg-ink font-medium text-paper hover:!bg-ink': s.solo === 'on' }"
        title="Sound only this layer and others with solo on"
        @click.stop="toggle('solo')"
      >
        Solo
      </button>
      <button
        class="quiet !px-1"
        :aria-pressed="silent"
        :class="{ 'bg-ink font-medium text-paper hover:!bg-ink': silent }"
        title="Silence this layer"
        @click.stop="toggle('mute')"
      >
        Mute
      </button>
      <button
        class="quiet !px-1"
        title="The same layer again with every setting"
        @click.stop="instrument.act({ do: 'duplicate', layer: index })"
      >
        Duplicate
      </button>
      <span class="whitespace-nowrap">
        <button
          class="quiet !px-1"
          :disabled="index === 0"
          title="Move up"
          aria-label="Move the layer up"
          @click.stop="instrument.act({ do: 'move', layer: index, to: index - 1 }).then((done) => done && instrument.layerIndex--)"
        >
          &uarr;
        </button>
        <button
          class="quiet !px-1"
          :disabled="index === count - 1"
          title="Move down"
          aria-label="Move the layer down"
          @click.stop="instrument.act({ do: 'move', layer: index, to: index + 1 }).then((done) => done && instrument.layerIndex++)"
        >
          &darr;
        </button>
      </span>
      <button
        class="quiet !px-1"
        :disabled="count === 1"
        title="Take the layer out; undo brings it back"
        @click.stop="instrument.act({ do: 'remove', layer: index })"
      >
        Remove
      </button>
    </div>
    <div v-if="chosen" class="mt-2 flex flex-col gap-1 pr-2" @click.stop>
      <Rule
        v-for="one in output"
        :key="one.id"
        :parameter="one"
        :value="number(s, one.id)"
        @ask="movement.ask(layer.id, one.id)"
        @move="instrument.move(layer.id, one.id, $event)"
        @rest="rest(one.id, $event, one.name)"
      />
      <button
        v-if="layer.effects.length"
        class="quiet -ml-1 self-start !px-1"
        :aria-pressed="!bypassed"
        :class="{ 'font-semibold text-warn': bypassed }"
        title="Hear the layer with or without its effects"
        @click="bypass"
      >
        {{ bypassed ? "Effects are off" : "Effects on" }}
      </button>
    </div>
    <span v-if="chosen && lost" class="mt-auto text-warn">This recording is no longer on the shelf; it still plays.</span>
  </div>
</template>
