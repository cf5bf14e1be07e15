<script setup lang="ts">
/** Collection, place, date and credits of several sounds; what is left empty stays as it is on each. */
import { computed, reactive, watch } from "vue";

import DialogFrame from "../../frame/DialogFrame.vue";
import { useMany } from "../../stores/many";
import { useShelf } from "../../stores/shelf";
import { ABOUT } from "./about";

const props = defineProps<{ open: boolean; recordings: number[] }>();
const emit = defineEmits<{ close: [] }>();
const many = useMany();
const shelf = useShelf();
const said = reactive({ collection: "", notes: "", place: "", date: "", recordist: "", licence: "" });
const change = computed(() => Object.fromEntries(Object.entries(said).filter(([, text]) => text.trim())));

watch(
  () => props.open,
  (open) => open && ABOUT.forEach(({ field }) => (said[field] = "")),
);

async function say(): Promise<void> {
  emit("close");
  await many.describe(props.recordings, change.value);
}
</script>

<template>
  <DialogFrame :open="open" :title="`About ${recordings.length} sounds`" @close="emit('close')">
    <p class="mt-2 text-soft">What is left empty stays as it is on each.</p>
    <form id="describe" class="mt-3 grid grid-cols-[6rem_1fr] items-center gap-2" @submit.prevent="say" @keydown.stop>
      <template v-for="one in ABOUT" :key="one.field">
        <label class="text-soft" :for="`many-${one.field}`">{{ one.name }}</label>
        <input
          :id="`many-${one.field}`"
          v-model="said[one.field]"
          class="field"
          :maxlength="one.most"
          placeholder="as it is"
          :list="one.field === 'place' || one.field === 'collection' ? `many-${one.field}s` : undefined"
        />
      </template>
      <datalist id="many-collections"><option v-for="one in shelf.collections" :key="one" :value="one" /></datalist>
      <datalist id="many-places"><option v-for="one in shelf.places" :key="one" :value="one" /></datalist>
    </form>
    <template #actions>
      <button class="action-main" type="submit" form="describe" :disabled="!Object.keys(change).length">Say it of all</button>
    </template>
  </DialogFrame>
</template>
