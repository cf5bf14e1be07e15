<script setup lang="ts">
/** To a picture, or to a game. */
import { useRouter } from "vue-router";

import Segments from "../../controls/Segments.vue";
import { useDeliver } from "../../stores/deliver";

defineProps<{ way: "picture" | "game" }>();
const router = useRouter();
const deliver = useDeliver();
const WAYS = [
  { value: "picture" as const, word: "picture", help: "Sounds against a film, handed over as stems" },
  { value: "game" as const, word: "game", help: "Variations of one sound" },
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
