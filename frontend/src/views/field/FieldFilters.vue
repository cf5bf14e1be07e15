<script setup lang="ts">
/** What of the shelf is shown, and in which order. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/vue";
import { computed } from "vue";

import Segments from "../../controls/Segments.vue";
import TypedEntry from "../../controls/TypedEntry.vue";
import { type Filters, NO_FILTERS, useField } from "../../stores/field";
import { useShelf } from "../../stores/shelf";
import { NAMES } from "../../theme/words";

const field = useField();
const shelf = useShelf();
const ORDERS: { value: Filters["order"]; word: string }[] = [
  { value: "added", word: "added" },
  { value: "name", word: "name" },
  { value: "length", word: "length" },
  { value: "root", word: "root" },
  { value: "loudness", word: "loudness" },
  { value: "tonal", word: "tonal" },
];
const RANGES = [
  { low: "shortest" as const, high: "longest" as const, name: "Length", unit: "s", step: 0.1 },
  { low: "quietest" as const, high: "loudest" as const, name: "Loudness", unit: "LUFS", step: 1 },
];

function set(change: Partial<Filters>): void {
  field.wantedOnly = { ...field.wantedOnly, ...change };
  void field.find();
}

const number = (text: string) => (text === "" ? null : Number(text));
const like = computed(() => shelf.byId.get(field.wantedOnly.like ?? -1));
/** What has been written on sounds, to choose from. */
const texts = computed(() => [
  { field: "tag" as const, name: "Tag", all: shelf.tags, none: "nothing is tagged yet" },
  { field: "place" as const, name: "Place", all: shelf.places, none: "no place is named yet" },
  { field: "collection" as const, name: "Collection", all: shelf.collections, none: "there is none yet" },
]);
const words = computed(() => {
  const f = field.wantedOnly;
  const out: { text: string; clear: Partial<Filters> }[] = [];
  if (f.like !== null) out.push({ text: `like ${like.value?.name ?? "it"}`, clear: { like: null } });
  if (f.kind)
    out.push({
      text: { clip: "materials", wavetable: "wavetables", spectrum: "spectra", recording: "recordings" }[f.kind],
      clear: { kind: "" },
    });
  if (f.character) out.push({ text: f.character, clear: { character: "" } });
  if (f.pitched) out.push({ text: f.pitched === "yes" ? "with a root" : "no clear pitch", clear: { pitched: "" } });
  if (f.root !== null) out.push({ text: `root ${NAMES[f.root]}`, clear: { root: null } });
  if (f.shortest !== null || f.longest !== null)
    out.push({ text: `${f.shortest ?? 0} to ${f.longest ?? "…"} s`, clear: { shortest: null, longest: null } });
  if (f.quietest !== null || f.loudest !== null)
    out.push({ text: `${f.quietest ?? "…"} to ${f.loudest ?? "…"} LUFS`, clear: { quietest: null, loudest: null } });
  if (f.tag) out.push({ text: `tag ${f.tag}`, clear: { tag: "" } });
  if (f.place) out.push({ text: f.place, clear: { place: "" } });
  if (f.collection) out.push({ text: `in ${f.collection}`, clear: { collection: "" } });
  return out;
});
</script>

<template>
  <div class="flex flex-wrap items-center gap-1.5">
    <Popover class="relative">
      <PopoverButton class="quiet -ml-1.5 text-soft" title="Show only some of the shelf, and in which order">Filter and sort</PopoverButton>
      <PopoverPanel
        class="floating absolute left-0 z-20 mt-1 grid w-[27rem] grid-cols-[5rem_minmax(0,1fr)] items-center gap-x-3 gap-y-2 p-4"
      >
        <span class="text-soft">Kind</span>
        <Segments
          :model-value="field.wantedOnly.kind"
          label="Kind"
          :options="[
            { value: '', word: 'all' },
            { value: 'recording', word: 'recordings' },
            { value: 'clip', word: 'materials' },
            { value: 'wavetable', word: 'wavetables' },
            { value: 'spectrum', word: 'spectra' },
          ]"
          @update:model-value="set({ kind: $event })"
        />
        <span class="text-soft">Character</span>
        <Segments
          :model-value="field.wantedOnly.character"
          label="Character"
          :options="[
            { value: '', word: 'any' },
            { value: 'tonal', word: 'tonal' },
            { value: 'partly tonal', word: 'partly' },
            { value: 'noisy', word: 'noisy' },
          ]"
          @update:model-value="set({ character: $event })"
        />
        <label class="text-soft" for="f-root">Root</label>
        <select
          id="f-root"
          class="field !py-1"
          :value="field.wantedOnly.pitched === 'no' ? 'none' : (field.wantedOnly.root ?? '')"
          @change="
            ($event.target as HTMLSelectElement).value === 'none'
              ? set({ pitched: 'no', root: null })
              : set({ pitched: '', root: number(($event.target as HTMLSelectElement).value) })
          "
        >
          <option value="">any</option>
          <option value="none">no clear pitch</option>
          <option v-for="(note, i) in NAMES" :key="note" :value="i">{{ note }}</option>
        </select>
        <template v-for="one in RANGES" :key="one.name">
          <span class="text-soft">{{ one.name }}</span>
          <span class="flex items-center gap-2">
            <TypedEntry
              class="field w-20 !py-1"
              type="number"
              :step="one.step"
              :aria-label="`${one.name} from`"
              :value="field.wantedOnly[one.low] ?? ''"
              :take="(text) => set({ [one.low]: number(text) })"
            />
            to
            <TypedEntry
              class="field w-20 !py-1"
              type="number"
              :step="one.step"
              :aria-label="`${one.name} to`"
              :value="field.wantedOnly[one.high] ?? ''"
              :take="(text) => set({ [one.high]: number(text) })"
            />
            {{ one.unit }}
          </span>
        </template>
        <template v-for="one in texts" :key="one.field">
          <label class="text-soft" :for="`f-${one.field}`">{{ one.name }}</label>
          <select
            :id="`f-${one.field}`"
            class="field !py-1"
            :value="field.wantedOnly[one.field]"
            :disabled="!one.all.length"
            @change="set({ [one.field]: ($event.target as HTMLSelectElement).value })"
          >
            <option value="">{{ one.all.length ? "any" : one.none }}</option>
            <option v-for="text in one.all" :key="text" :value="text">{{ text }}</option>
          </select>
        </template>
        <span class="text-soft">Order</span>
        <Segments
          :model-value="field.wantedOnly.order"
          label="Order"
          :options="ORDERS"
          @update:model-value="field.order($event, !['name', 'root'].includes($event))"
        />
      </PopoverPanel>
    </Popover>
    <button
      v-for="one in words"
      :key="one.text"
      class="rounded-sm border border-hairline px-1.5 text-xs hover:border-ink"
      :aria-label="`Drop the filter ${one.text}`"
      title="Drop this filter"
      @click="set(one.clear)"
    >
      {{ one.text }} ×
    </button>
    <button v-if="words.length > 1" class="quiet text-xs text-soft" @click="set(NO_FILTERS)">Show all</button>
  </div>
</template>
