<script setup lang="ts">
/** How frames are taken from a recording; where, on its waveform. */
import { computed } from "vue";

import DeclaredControls from "../../controls/DeclaredControls.vue";
import NoteEntry from "../../controls/NoteEntry.vue";
import Rule from "../../controls/Rule.vue";
import { ownRule } from "../../controls/scale";
import type { Parameter, TableDocument } from "../../api/types";
import { useTable } from "../../stores/table";
import { useShelf } from "../../stores/shelf";

type Taken = Extract<TableDocument["source"], { kind: "recording" }>;

const shelf = useShelf();
const table = useTable();
const source = computed(() => table.source as Taken);
const total = computed(() => shelf.byDigest.get(source.value.sound.recording ?? "")?.duration_s ?? table.made?.seconds?.at(-1) ?? 10);

const sound = computed(() => source.value.sound);
/** Settings that mean something for the way that is chosen. */
const shown = computed(() =>
  (table.words?.recording ?? []).filter(({ id }) => {
    const by = source.value.by === "itself" ? (table.made?.by ?? "cycles") : source.value.by;
    if (id === "together") return by === "cycles";
    if (id === "stretch_ms" || id === "closed") return by === "stretches";
    return id !== "frames" || source.value.spread !== "hand";
  }),
);
const edge = (id: "start" | "end"): Parameter =>
  ownRule({
    id,
    name: id === "start" ? "from" : "to",
    group: "",
    unit: "s",
    low: 0,
    high: Math.max(0.1, total.value),
    default: id === "start" ? 0 : total.value,
    help: id === "start" ? "Where the first frame is taken." : "Where the last frame is taken.",
  });
const end = computed(() => Number(source.value.end ?? table.made?.seconds?.at(-1) ?? total.value));
const rooted = computed(() => source.value.by !== "stretches");

function set(id: string, to: unknown, label: string): void {
  void table.edit(label, (document) => {
    const taken = document.source as Taken;
    Object.assign(taken, { [id]: to });
    // by hand, one goes on from where frames were taken
    if (to === "hand" && !taken.places.length) taken.places = table.made?.seconds ?? [];
  });
}
</script>

<template>
  <section aria-label="How it is taken" class="flex flex-col gap-2">
    <h2 class="font-serif text-lg">Taken from <span class="italic">{{ sound.name || "a recording" }}</span></h2>
    <DeclaredControls :declared="shown" :values="source" @move="(id, value) => table.move(`/source/${id}`, value)" @rest="set" />
    <div v-if="source.spread !== 'hand'" class="grid grid-cols-2 gap-4">
      <Rule
        :parameter="edge('start')"
        :value="source.start"
        @move="table.move('/source/start', $event)"
        @rest="set('start', $event, 'From')"
      />
      <Rule :parameter="edge('end')" :value="end" @move="table.move('/source/end', $event)" @rest="set('end', $event, 'To')" />
    </div>
    <p v-else class="text-soft">
      Click on the waveform to add a place, click a place to take it away.
      <button class="quiet !px-1 text-focus" @click="set('places', [total / 2], 'Places')">Begin with one</button>
    </p>
    <p v-if="rooted" class="flex items-center gap-2">
      <span class="text-soft">root</span>
      <button
        v-if="source.root === null"
        class="quiet font-medium"
        :title="source.by === 'spectra' ? 'C2; give another note' : 'Give a steady pitch that is known'"
        @click="set('root', source.by === 'spectra' ? 36 : 48, 'Root')"
      >
        {{ source.by === "spectra" || table.made?.by === "spectra" ? "C2" : "found by itself" }}
      </button>
      <NoteEntry
        v-else
        :note="source.root"
        label="Root note"
        or-none
        help="A steady pitch that is known, or the note whose multiples a spectrum is gathered at; else it is found."
        @change="set('root', $event, 'Root')"
      />
    </p>
  </section>
</template>
