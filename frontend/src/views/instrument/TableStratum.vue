<script setup lang="ts">
/** The wavetable of a wave layer: where it is set, and where each voice is now. */
import { type Layer, number } from "../../api/types";
import { ref, watch } from "vue";

import { fetchCycles, type TablePicture } from "../../charts/tables";
import TableMap from "../../charts/TableMap.vue";
import { useInstrument } from "../../stores/instrument";

const props = defineProps<{ layer: Layer; index: number; chosen: boolean }>();
const instrument = useInstrument();
const picture = ref<TablePicture | null>(null);
const failed = ref(false);

watch(
  () => [props.layer.sounds[0]?.recording, props.layer.sounds[0]?.cycle] as const,
  async ([digest, cycle]) => {
    failed.value = false;
    picture.value = digest ? await fetchCycles(digest, cycle ?? 2048).catch(() => ((failed.value = true), null)) : null;
  },
  { immediate: true },
);

function rest(): void {
  instrument.settle(props.layer.id, ["frame"], "position");
}
</script>

<template>
  <TableMap
    v-if="picture"
    :ink="picture.ink"
    :frames="picture.frames"
    :columns="picture.columns"
    :place="number(layer.settings, 'frame') / 100"
    :layer="index"
    :petal="layer.petal"
    :idle="!chosen"
    :label="`Position in ${layer.name}`"
    @scrub="instrument.move(layer.id, 'frame', Math.round(1e3 * Math.min(100, Math.max(0, 100 * $event))) / 1e3)"
    @rest="rest"
  />
  <span v-else class="absolute inset-0 grid place-items-center text-soft">{{
    failed
      ? "its cycles cannot be read: check how long they are"
      : layer.sounds.length
        ? ""
        : "no wavetable yet: choose one in the panel at the right"
  }}</span>
</template>
