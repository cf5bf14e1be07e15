<script setup lang="ts">
/** The collection and tags of one instrument. */
import { ref } from "vue";

import { api, wanted } from "../../api/client";
import TypedEntry from "../../controls/TypedEntry.vue";
import type { components } from "../../api/schema";
import type { InstrumentLine } from "../../api/types";
import { useInstrument } from "../../stores/instrument";
import { useNotices } from "../../stores/notices";

const props = defineProps<{ line: InstrumentLine; collections: string[] }>();
const instrument = useInstrument();
const tag = ref("");

async function change(body: components["schemas"]["InstrumentAbout"], undo = true): Promise<void> {
  const before = { collection: props.line.collection, tags: props.line.tags };
  try {
    await wanted(api.PATCH("/api/instruments/{instrument_id}/about", { params: { path: { instrument_id: props.line.id } }, body }));
    await instrument.list();
    if (undo) useNotices().say(`'${props.line.name}' is sorted anew.`, () => void change(before, false));
  } catch (error) {
    useNotices().complain(error);
  }
}

function add(): void {
  const text = tag.value.trim();
  tag.value = "";
  if (text && !props.line.tags.includes(text)) void change({ tags: [...props.line.tags, text] });
}
</script>

<template>
  <div class="flex items-center gap-2">
    <span class="max-w-40 truncate font-serif" :title="line.name">{{ line.name }}</span>
    <TypedEntry
      class="field w-36 !py-0.5"
      :value="line.collection"
      maxlength="80"
      placeholder="collection"
      aria-label="Collection of the instrument"
      list="instrument-collections"
      :take="(text) => void change({ collection: text.trim() })"
      @keydown.stop
    />
    <datalist id="instrument-collections"><option v-for="one in collections" :key="one" :value="one" /></datalist>
    <span v-for="one in line.tags" :key="one" class="rounded-sm border border-hairline px-1.5 text-xs whitespace-nowrap"
      >{{ one }}
      <button :aria-label="`Remove the tag ${one}`" @click="change({ tags: line.tags.filter((other) => other !== one) })">×</button></span
    >
    <input
      v-model="tag"
      class="field w-24 !py-0.5"
      maxlength="40"
      placeholder="add a tag"
      aria-label="Add a tag to the instrument"
      @keydown.enter.prevent="add"
      @keydown.stop
      @change="add"
    />
  </div>
</template>
