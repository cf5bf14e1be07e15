<script setup lang="ts">
/** Whatever routes can move, in one list by layer that is searched by typing. */
import { computed } from "vue";

import { useInstrument } from "../stores/instrument";
import { useMovement } from "../stores/movement";
import GroupedChooser from "./GroupedChooser.vue";

/** One owner's targets only, or all; without one of them. */
const props = defineProps<{ word: string; label: string; of?: string; without?: string }>();
defineEmits<{ choose: [owner: string, parameter: string] }>();
const instrument = useInstrument();
const movement = useMovement();

const groups = computed(() => {
  const owners = [...(instrument.document?.layers ?? []), ...movement.modulators].map(({ id, name }) => ({ id, name }));
  const layers = new Set(owners.map(({ id }) => id));
  for (const id of instrument.owners.keys()) if (!layers.has(id)) owners.push({ id, name: movement.kindOf(id)?.name || "Instrument" });
  return owners
    .filter(({ id }) => (!props.of || id === props.of) && movement.kindOf(id))
    .map(({ id, name }) => ({
      id,
      name,
      petal: movement.kindOf(id)!.petal,
      choices: movement
        .kindOf(id)!
        .parameters.filter((one) => `${id}.${one.id}` !== props.without)
        .map((one) => ({ id: one.id, name: one.name, group: one.group.toLowerCase() })),
    }));
});
</script>

<template>
  <GroupedChooser
    :word="word"
    :label="label"
    search="Search the controls"
    placeholder="cutoff, or ice position"
    :groups="groups"
    @choose="(owner, parameter) => $emit('choose', owner, parameter)"
  />
</template>
