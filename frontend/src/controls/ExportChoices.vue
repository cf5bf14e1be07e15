<script setup lang="ts">
/** The ways in which a thing leaves as a file, as choices of a menu: from the list that the server has. */
import { computed } from "vue";

import { useProject } from "../stores/project";
import MenuChoice from "./MenuChoice.vue";

const props = defineProps<{
  /** What it is: "take". */
  of: string;
  id: number | string;
  /** Ways that this one does not have. */
  without?: readonly string[];
}>();
const project = useProject();
// an ensemble leaves as an instrument does
const kind = computed(() => (props.of === "ensemble" ? "instrument" : props.of));
const ways = computed(() => project.exporters.filter((one) => one.of === kind.value && !props.without?.includes(one.id)));
</script>

<template>
  <MenuChoice v-for="one in ways" :key="one.id" :href="`/api/exports/${of}/${id}/${one.id}`" download>{{ one.name }}</MenuChoice>
</template>
