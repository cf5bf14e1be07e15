<script setup lang="ts">
/** The modulators of the instrument, each with its trace; drag one onto a control, or click to see what it moves. */
import { useMovement } from "../../stores/movement";
import TracePicture from "./TracePicture.vue";

const movement = useMovement();

function take(event: DragEvent, id: string): void {
  event.dataTransfer?.setData("text/x-bloom-source", `m:${id}`);
  if (event.dataTransfer) event.dataTransfer.effectAllowed = "link";
}
/** Whether the route under the pointer comes from this modulator. */
const lights = (id: string) => movement.lit === id || movement.from(id).some((route) => route.id === movement.lit);
</script>

<template>
  <div v-if="movement.modulators.length" class="flex items-stretch gap-1.5 overflow-x-auto pb-1" role="group" aria-label="Modulators">
    <button
      v-for="one in movement.modulators"
      :key="one.id"
      class="w-[7.5rem] shrink-0 rounded-sm border px-2 py-1 text-left hover:bg-sheet"
      :class="
        movement.chosen?.what === 'modulator' && movement.chosen.id === one.id
          ? 'border-ink bg-sheet'
          : lights(one.id)
            ? 'border-focus'
            : 'border-hairline'
      "
      @mouseenter="movement.lit = one.id"
      @mouseleave="movement.lit = null"
      draggable="true"
      :title="`${one.name}: click to see what it moves, or drag it onto a control`"
      :data-modulator="one.id"
      @click="movement.show(one.id)"
      @dragstart="take($event, one.id)"
    >
      <span class="block truncate font-serif italic">{{ one.name }}</span>
      <TracePicture :id="one.id" :low="movement.swings(one.id) ? -1 : 0" :high="1" class="!h-6" />
    </button>
  </div>
</template>
