<script setup lang="ts">
/** What some routes move, each a way to go there. */
import type { Route } from "../../api/types";
import { useMovement } from "../../stores/movement";

defineProps<{ routes: Route[] }>();
const movement = useMovement();

function petal(route: Route): string {
  const found = movement.said(route.id)?.petal;
  return found ? `var(--${found})` : "var(--ink)";
}
</script>

<template>
  <button
    v-for="route in routes"
    :key="route.id"
    class="flex w-full justify-between gap-3 py-0.5 text-left hover:underline"
    @click="movement.ask(route.target, route.parameter, route.id)"
    @mouseenter="movement.lit = route.id"
    @mouseleave="movement.lit = null"
  >
    <span class="petal-words truncate font-serif" :style="{ '--petal': petal(route) }"
      >{{ movement.said(route.id)?.owner }} · {{ movement.said(route.id)?.parameter }}</span
    >
    <span class="whitespace-nowrap">{{ movement.said(route.id)?.amount }}</span>
  </button>
</template>
