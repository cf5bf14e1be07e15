<script setup lang="ts">
/** To a picture, to a game, or as samples for other tools. */
import { useRouter } from "vue-router";

import Segments from "../../controls/Segments.vue";
import { useDeliver, type Way } from "../../stores/deliver";

defineProps<{ way: Way }>();
const router = useRouter();
const deliver = useDeliver();
const WAYS = [
  { value: "picture" as const, word: "picture", help: "Sounds against a film, handed over as stems" },
  { value: "game" as const, word: "game", help: "Variations of one sound" },
  { value: "samples" as const, word: "samples", help: "An instrument as samples with a map, for other tools" },
];
</script>

<template>
  <Segments
    class="shrink-0 !flex-nowrap"
    label="Deliver to"
    :model-value="way"
    :options="WAYS"
    @update:model-value="router.push(deliver.addressOf($event))"
  />
</template>
