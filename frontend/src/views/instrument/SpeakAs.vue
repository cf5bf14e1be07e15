<script setup lang="ts">
/** Grains that follow how bright and how loud another layer is. */
import { computed } from "vue";

import type { Layer } from "../../api/types";
import { useInstrument } from "../../stores/instrument";

const props = defineProps<{ layer: Layer; index: number }>();
const instrument = useInstrument();

const others = computed(() =>
  (instrument.document?.layers ?? []).map(({ id, name }, at) => ({ id, name, at })).filter(({ at }) => at !== props.index),
);
/** The layer that is followed now, by what moves the point. */
const followed = computed(() => {
  const moved = (instrument.document?.routes ?? []).filter(
    ({ target, parameter }) => target === props.layer.id && (parameter === "across" || parameter === "up"),
  );
  const follower = (instrument.document?.modulators ?? []).find(
    ({ id, kind }) => kind === "follower" && moved.some(({ source }) => source === `m:${id}`),
  );
  return others.value.find(({ id }) => id === follower?.follows)?.at ?? "";
});
async function speak(event: Event): Promise<void> {
  const chosen = (event.target as HTMLSelectElement).value;
  const other = chosen === "" ? null : Number(chosen);
  await instrument.act({ do: "resemble", layer: props.index, other });
}
</script>

<template>
  <figcaption v-if="others.length" class="mt-1 flex items-center gap-2">
    <span class="text-soft">speak as</span>
    <select
      class="field min-w-0 flex-1 !py-0.5"
      :value="followed"
      aria-label="Layer to speak as"
      title="Grains follow how bright and how loud another layer is"
      @change="speak"
    >
      <option value="">no other layer</option>
      <option v-for="{ id, name, at } in others" :key="id" :value="at">{{ name }}</option>
    </select>
  </figcaption>
</template>
