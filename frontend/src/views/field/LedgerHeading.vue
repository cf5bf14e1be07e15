<script setup lang="ts">
/** The headings of the ledger: what the columns are, in which unit, and the order by one of them. */
import { computed } from "vue";

import { type Filters, useField } from "../../stores/field";

const field = useField();
interface Column {
  order: Filters["order"];
  word: string;
  unit?: string;
  /** Which way one looks first: loud ones, long ones, names from A. */
  descending: boolean;
}
const COLUMNS: Column[] = [
  { order: "root", word: "root", descending: false },
  { order: "length", word: "length", descending: true },
  { order: "peak", word: "peak", unit: "dBFS", descending: true },
  { order: "loudness", word: "loudness", unit: "LUFS", descending: true },
];
const all = computed(() => field.picked.length === field.recordings.length);

function sortBy({ order, descending }: Column): void {
  const { order: now, descending: down } = field.wantedOnly;
  // a third click goes back to the newest first
  if (now === order && down !== descending) field.order("added", true);
  else field.order(order, now === order ? !down : descending);
}
const sorted = (order: Filters["order"]) =>
  field.wantedOnly.order === order ? (field.wantedOnly.descending ? "descending" : "ascending") : "none";
const sign = (order: Filters["order"]) => ({ ascending: " \u2191", descending: " \u2193", none: "" })[sorted(order)];
const NAME: Column = { order: "name", word: "name", descending: false };
</script>

<template>
  <div class="row mt-1 items-end border-b border-hairline pb-1 text-xs text-soft">
    <span class="flex gap-2">
      <input
        type="checkbox"
        tabindex="-1"
        :checked="all"
        :indeterminate="field.picked.length > 0 && !all"
        aria-label="Pick all or none"
        title="Pick all or none"
        @change="field.picked = all ? [] : field.recordings.map(({ id }) => id)"
      />
      <button class="heading-word" :data-sorted="sorted('name')" title="Sort by name" @click="sortBy(NAME)">name{{ sign("name") }}</button>
    </span>
    <span>listen from any point</span>
    <button
      v-for="one in COLUMNS"
      :key="one.order"
      class="heading-word"
      :class="one.order === 'root' ? 'text-left' : 'text-right'"
      :data-sorted="sorted(one.order)"
      :title="`Sort by ${one.word}`"
      @click="sortBy(one)"
    >
      {{ one.word }}{{ sign(one.order) }}<span v-if="one.unit" class="block">{{ one.unit }}</span>
    </button>
  </div>
</template>

<style scoped>
.heading-word:hover,
.heading-word:not([data-sorted="none"]) {
  color: var(--ink);
}
</style>
