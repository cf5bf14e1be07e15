<script setup lang="ts">
/** All instruments: looked for by name, tag or collection, seen by what they sound like, the last changed first. */
import { computed, nextTick, ref, watch } from "vue";
import { useRouter } from "vue-router";

import type { InstrumentLine } from "../../api/types";
import PetalMark from "../../charts/PetalMark.vue";
import SketchPicture from "../../charts/SketchPicture.vue";
import { reveal } from "../../composables/reveal";
import { useRows } from "../../composables/rows";
import Segments from "../../controls/Segments.vue";
import DialogFrame from "../../frame/DialogFrame.vue";
import { useInstrument } from "../../stores/instrument";
import { useNotices } from "../../stores/notices";
import { useSketches } from "../../stores/sketches";
import { ago } from "../../theme/words";
import InstrumentAbout from "./InstrumentAbout.vue";

const ACROSS = 4;
const ROW_PX = 136;

const props = defineProps<{ open: boolean }>();
const emit = defineEmits<{ close: [] }>();
const instrument = useInstrument();
const sketches = useSketches();
const router = useRouter();
const text = ref("");
const collection = ref("");
const at = ref(0);
const search = ref<HTMLInputElement>();

const collections = computed(() => [...new Set(instrument.lines.map((one) => one.collection).filter(Boolean))].sort());
const shown = computed(() => {
  const words = text.value.toLowerCase().split(/\s+/).filter(Boolean);
  return instrument.lines.filter((one) => {
    const all = `${one.name} ${one.collection} ${one.tags.join(" ")}`.toLowerCase();
    return (!collection.value || one.collection === collection.value) && words.every((word) => all.includes(word));
  });
});
const rows = computed(() =>
  Array.from({ length: Math.ceil(shown.value.length / ACROSS) }, (_, i) => shown.value.slice(ACROSS * i, ACROSS * (i + 1))),
);
const { list, containerProps, wrapperProps, scrollTo } = useRows(rows, ROW_PX, 1);
const chosen = computed(() => shown.value[at.value] ?? null);

watch(
  () => props.open,
  async (open) => {
    if (!open) return;
    [text.value, collection.value, at.value] = ["", "", 0];
    await instrument.list().catch((error) => useNotices().complain(error));
    at.value = Math.max(
      0,
      instrument.lines.findIndex(({ id }) => id === instrument.id),
    );
    await nextTick();
    // the list may come late: whoever types elsewhere by then keeps the focus
    if (!(document.activeElement instanceof HTMLInputElement)) search.value?.focus();
    step(0);
  },
);
// what matches best stands first, and is in view
watch([text, collection], async () => {
  at.value = 0;
  await nextTick();
  scrollTo(0);
});
// only what is in view is listened to
watch(list, (now) => props.open && void sketches.want(now.flatMap(({ data }) => data)));

function step(by: number): void {
  at.value = Math.max(0, Math.min(shown.value.length - 1, at.value + by));
  reveal(containerProps.ref.value, Math.floor(at.value / ACROSS), ROW_PX);
}

async function take(one: InstrumentLine | null): Promise<void> {
  if (!one) return;
  emit("close");
  await router.push(`/instrument/${one.id}`);
}

const under = (one: InstrumentLine) => [one.collection, ...one.tags].filter(Boolean).join(", ");
</script>

<template>
  <DialogFrame :open="open" title="Instruments" width="w-[60rem]" @close="emit('close')">
    <template #note>{{ shown.length === 1 ? "1 instrument" : `${shown.length} instruments` }}</template>
    <div class="mt-3 flex items-center gap-3">
      <input
        ref="search"
        v-model="text"
        type="search"
        class="field w-64"
        placeholder="Name, tag or collection"
        aria-label="Find an instrument"
        title="Arrows go through them, Enter opens one"
        @keydown.right.prevent="step(1)"
        @keydown.left.prevent="step(-1)"
        @keydown.down.prevent="step(ACROSS)"
        @keydown.up.prevent="step(-ACROSS)"
        @keydown.enter.prevent="take(chosen)"
      />
      <Segments
        v-if="collections.length"
        v-model="collection"
        label="Collection"
        :options="[{ value: '', word: 'all' }, ...collections.map((one) => ({ value: one, word: one }))]"
      />
    </div>
    <div class="mt-3 h-[22rem] min-h-0" v-bind="containerProps" data-instruments>
      <div v-bind="wrapperProps">
        <div v-for="{ data: row, index } in list" :key="index" class="grid grid-cols-4 gap-2 pb-2" :style="{ height: `${ROW_PX}px` }">
          <button
            v-for="(one, i) in row"
            :key="one.id"
            class="flex min-w-0 flex-col border p-2 text-left"
            :class="ACROSS * index + i === at ? 'border-ink bg-[var(--key-shade)]' : 'border-hairline hover:bg-[var(--key-shade)]'"
            :aria-current="one.id === instrument.id"
            :data-instrument="one.id"
            @click="at = ACROSS * index + i"
            @dblclick="take(one)"
          >
            <span class="flex items-center gap-1.5 font-serif text-base">
              <PetalMark v-for="(petal, n) in one.layers.slice(0, 4)" :key="n" class="shrink-0" :petal="petal" />
              <span class="truncate" :title="one.name">{{ one.name }}</span>
            </span>
            <span class="relative mt-1 block h-16 border border-hairline bg-sheet">
              <SketchPicture v-if="sketches.of(one)" :sketch="sketches.of(one)!" :colour="one.layers[0] ?? 'ink'" />
              <span v-else class="absolute inset-0 grid place-items-center text-xs text-soft">{{
                sketches.cannot(one) ? "nothing that can sound" : "listening"
              }}</span>
            </span>
            <span class="mt-1 flex gap-2 text-xs text-soft">
              <span class="min-w-0 flex-1 truncate" :title="under(one)">{{ under(one) || " " }}</span>
              <span class="shrink-0">{{ ago(one.changed) }}</span>
            </span>
          </button>
        </div>
      </div>
      <p v-if="!shown.length" class="text-soft">
        {{ instrument.lines.length ? "No instrument matches that." : "There is no instrument yet: grow one in Field." }}
      </p>
    </div>
    <template #actions>
      <InstrumentAbout v-if="chosen" :key="chosen.id" class="mr-auto min-w-0" :line="chosen" :collections="collections" />
      <button class="action-main" :disabled="!chosen" @click="take(chosen)">Open</button>
    </template>
  </DialogFrame>
</template>
