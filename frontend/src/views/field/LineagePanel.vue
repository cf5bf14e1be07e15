<script setup lang="ts">
/** What a sound came from, what was made from it, and which instruments use it. */
import { computed, ref, watch } from "vue";

import { api, wanted } from "../../api/client";
import type { Lineage, Recording } from "../../api/types";
import PetalMark from "../../charts/PetalMark.vue";
import { useField } from "../../stores/field";
import { useInstrument } from "../../stores/instrument";

const props = defineProps<{ recording: Recording }>();
const field = useField();
const instrument = useInstrument();
const found = ref<Lineage | null>(null);
const own = computed(() => props.recording.lineage);
const petal = (id: number) => instrument.lines.find((line) => line.id === id)?.layers[0] ?? "madder";
const steps = computed(() => own.value.steps ?? 0);

watch(
  () => props.recording,
  async () => {
    const params = { path: { recording_id: props.recording.id } };
    found.value = await wanted(api.GET("/api/recordings/{recording_id}/lineage", { params })).catch(() => null);
  },
  { immediate: true },
);

function show(id: number): void {
  field.chosenId = id;
}
</script>

<template>
  <section v-if="recording.instruments.length">
    <h3 class="heading mb-1">Instruments that use it</h3>
    <RouterLink
      v-for="one in recording.instruments"
      :key="one.id"
      :to="`/instrument/${one.id}`"
      class="flex items-center gap-2 py-0.5 font-serif text-base hover:underline"
      ><PetalMark :petal="petal(one.id)" />{{ one.name }}</RouterLink
    >
  </section>
  <section v-if="own.instrument || own.take || found?.made_from.length || own.bundle || own.captured || own.card">
    <h3 class="heading mb-1">Made from</h3>
    <p v-if="own.instrument">
      <RouterLink :to="`/instrument/${own.instrument}`" class="font-serif text-base hover:underline">{{ own.name }}</RouterLink
      ><span class="text-soft">, as it was at change {{ own.revision }}</span>
    </p>
    <p v-if="own.take">
      <RouterLink :to="`/takes/${own.take}`" class="font-serif text-base hover:underline">{{ own.take_name }}</RouterLink
      ><span class="text-soft">, a take{{ own.instrument_name ? ` of ${own.instrument_name}` : "" }}</span>
    </p>
    <template v-for="(one, i) in found?.made_from ?? []" :key="one.id">
      <button
        class="block max-w-full truncate text-left font-serif text-base hover:underline"
        :disabled="one.deleted"
        @click="show(one.id)"
      >
        <span class="font-sans text-sm text-soft">{{ one.role }}</span> {{ one.name
        }}<span v-if="one.deleted" class="font-sans text-sm text-soft">, off the shelf</span>
      </button>
      <RouterLink v-if="i === 0 && steps" class="text-soft underline decoration-hairline hover:text-ink" :to="`/bench/${one.id}`"
        >by {{ steps }} {{ steps === 1 ? "step" : "steps" }} on the bench</RouterLink
      >
    </template>
    <p v-if="own.bundle" class="text-soft">out of the bundle {{ own.bundle }}</p>
    <p v-if="own.captured" class="text-soft">captured here, {{ own.captured.slice(0, 16).replace("T", " ") }}</p>
    <p v-if="own.card" class="text-soft">off a card, {{ own.card }}</p>
  </section>
  <section v-if="found?.made_into.length">
    <h3 class="heading mb-1">Made from it</h3>
    <button
      v-for="one in found.made_into"
      :key="one.id"
      class="block max-w-full truncate text-left font-serif text-base hover:underline"
      @click="show(one.id)"
    >
      {{ one.name }}
    </button>
  </section>
</template>
