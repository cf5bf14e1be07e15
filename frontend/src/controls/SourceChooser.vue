<script setup lang="ts">
/** Whatever can move something: this instrument's modulators, and what is played. */
import { computed } from "vue";

import { useMovement } from "../stores/movement";
import { useProject } from "../stores/project";
import GroupedChooser from "./GroupedChooser.vue";

const NOTHING = { id: "", name: "", choices: [{ id: "", name: "nothing" }] };

/** With `optional` nothing may be chosen too; with `played` only what is played is offered. */
const props = defineProps<{ label: string; word?: string; optional?: boolean; played?: boolean }>();
const source = defineModel<string>({ required: true });
const movement = useMovement();
const project = useProject();

const groups = computed(() => {
  const helps = new Map(project.catalogue.sources.map(({ id, help }) => [id, help]));
  const all = movement.reading.sources.map(({ id, name, group }) => ({ id, name, help: helps.get(id), from: group }));
  const of = (...groups: string[]) => all.filter(({ from }) => groups.includes(from));
  const some = [
    { id: "modulators", name: "modulators", choices: props.played ? [] : of("modulator", "macro") },
    { id: "played", name: "played", choices: of("played") },
    { id: "envelopes", name: "envelopes of layers", choices: of("envelope") },
  ];
  return props.optional ? [NOTHING, ...some] : some;
});
const word = computed(() => movement.reading.sources.find(({ id }) => id === source.value)?.name ?? props.word ?? "nothing");
</script>

<template>
  <GroupedChooser
    :word="word"
    :label="label"
    search="Search what moves"
    placeholder="wheel, or slow tide"
    :groups="groups"
    @choose="(_, id) => (source = id)"
  />
</template>
