<script setup lang="ts">
/** The root at which a layer's sound plays untransposed: read, corrected by typing, or none. */
import NoteEntry from "../../controls/NoteEntry.vue";
import { type Layer, useInstrument } from "../../stores/instrument";

const props = defineProps<{ layer: Layer; index: number }>();
const instrument = useInstrument();

function change(root: number | null): void {
  void instrument.edit("root", [{ op: "replace", path: `/layers/${props.index}/sound/root`, value: root }]);
}
</script>

<template>
  <div>
    <span class="text-soft">root </span>
    <NoteEntry :note="layer.sound.root" label="Root note" or-none help="Key at which the sound plays as recorded; without a pitch, C4 does. Click to correct." @change="change" />
  </div>
</template>
