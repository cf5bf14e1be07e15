<script setup lang="ts">
/** How frames are taken from a recording; where, on its waveform. */
import { computed, onMounted, ref } from "vue";

import { api, isChoice, type Parameter, type Value, wanted } from "../../api/client";
import ChoiceRow from "../../controls/ChoiceRow.vue";
import NoteEntry from "../../controls/NoteEntry.vue";
import Rule from "../../controls/Rule.vue";
import type { Sound } from "../../stores/instrument";
import { useTable } from "../../stores/table";

const table = useTable();
const source = computed(() => table.source!);
const held = ref<Record<string, number>>({});
const total = ref(0);

const sound = computed(() => source.value.sound as Sound);
/** Settings that mean something for the way that is chosen. */
const shown = computed(() =>
  (table.words?.recording ?? []).filter(({ id }) => {
    const by = source.value.by === "itself" ? (table.made?.by ?? "cycles") : source.value.by;
    if (id === "together") return by === "cycles";
    if (id === "stretch_ms" || id === "closed") return by === "stretches";
    return id !== "frames" || source.value.spread !== "hand";
  }),
);
const value = (id: string) => held.value[id] ?? Number(source.value[id] ?? 0);
const edge = (id: "start" | "end"): Parameter => ({
  id, name: id === "start" ? "from" : "to", group: "", unit: "s", low: 0, high: Math.max(0.1, total.value), default: id === "start" ? 0 : total.value,
  help: id === "start" ? "Where the first frame is taken." : "Where the last frame is taken.", scale: "linear", scope: "layer", whole_number: false, movable: false, sign: false,
});
const end = computed(() => held.value.end ?? Number(source.value.end ?? table.made?.seconds?.at(-1) ?? total.value));
const rooted = computed(() => source.value.by !== "stretches");

onMounted(async () => {
  const digest = sound.value.recording;
  const found = await wanted(api.GET("/api/recordings")).catch(() => null);
  total.value = found?.recordings.find((one) => one.digest === digest)?.measured.duration_s ?? table.made?.seconds?.at(-1) ?? 10;
});

function set(id: string, to: unknown, label: string): void {
  held.value = {};
  void table.edit(label, (document) => {
    document.source[id] = to;
    // by hand, one goes on from where frames were taken
    if (to === "hand" && !(document.source.places as number[]).length) document.source.places = table.made?.seconds ?? [];
  });
}
</script>

<template>
  <section aria-label="How it is taken" class="flex flex-col gap-2">
    <h2 class="font-serif text-lg">Taken from <span class="italic">{{ sound.name || "a recording" }}</span></h2>
    <template v-for="one in shown" :key="one.id">
      <ChoiceRow v-if="isChoice(one)" :choice="one" :value="String(source[one.id])" @choose="set(one.id, $event, one.name)" />
      <Rule v-else :parameter="one" :value="value(one.id)" @move="held = { [one.id]: $event }" @rest="set(one.id, $event as Value, one.name)" />
    </template>
    <div v-if="source.spread !== 'hand'" class="grid grid-cols-2 gap-4">
      <Rule :parameter="edge('start')" :value="held.start ?? Number(source.start)" @move="held = { start: $event }" @rest="set('start', $event, 'From')" />
      <Rule :parameter="edge('end')" :value="end" @move="held = { end: $event }" @rest="set('end', $event, 'To')" />
    </div>
    <p v-else class="text-soft">Click on the waveform to add a place, click a place to take it away. <button class="quiet !px-1 text-focus" @click="set('places', [total / 2], 'Places')">Begin with one</button></p>
    <p v-if="rooted" class="flex items-center gap-2"><span class="text-soft">root</span>
      <button v-if="source.root === null" class="quiet font-medium" :title="source.by === 'spectra' ? 'C2; give another note' : 'Give a steady pitch that is known'" @click="set('root', source.by === 'spectra' ? 36 : 48, 'Root')">{{ source.by === "spectra" || table.made?.by === "spectra" ? "C2" : "found by itself" }}</button>
      <NoteEntry v-else :note="source.root as number" label="Root note" or-none help="A steady pitch that is known, or the note whose multiples a spectrum is gathered at; else it is found." @change="set('root', $event, 'Root')" />
    </p>
  </section>
</template>
