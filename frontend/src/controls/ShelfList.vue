<script setup lang="ts">
/**
 * Choosing sounds, everywhere: a search of its own, a waveform a line, each heard before it is taken.
 *
 * From the search the arrows go through the lines, Enter takes one and Shift Enter hears it.
 */
import { promiseTimeout, refDebounced, until, useMousePressed } from "@vueuse/core";
import { computed, nextTick, onBeforeUnmount, onMounted, ref, shallowRef, watch } from "vue";

import { api, wanted } from "../api/client";
import type { RecordingLine } from "../api/types";
import Waveform from "../charts/Waveform.vue";
import { reveal } from "../composables/reveal";
import { useRows } from "../composables/rows";
import { useLive } from "../stores/live";
import { useNotices } from "../stores/notices";
import { useShelf } from "../stores/shelf";
import { duration } from "../theme/words";

const ROW_PX = 44;

/** With `many` several are picked, and the model holds their ids. */
const props = defineProps<{ many?: boolean; without?: number }>();
const picked = defineModel<number[]>({ default: () => [] });
const emit = defineEmits<{ pick: [recording: number] }>();
const shelf = useShelf();
const live = useLive();
const text = ref("");
const query = refDebounced(text, 150);
const found = shallowRef<Set<number> | null>(null);
const at = ref(0);
const shown = computed(() => shelf.recordings.toReversed().filter((one) => one.id !== props.without && (found.value?.has(one.id) ?? true)));
const { list, containerProps, wrapperProps, scrollTo } = useRows(shown, ROW_PX);
const isPicked = computed(() => new Set(picked.value));
const allShown = computed(() => shown.value.length > 0 && shown.value.every((one) => isPicked.value.has(one.id)));
/** What the arrows have come to, for those who hear the page. */
const spoken = computed(() => {
  const one = shown.value[at.value];
  return one ? `${one.name}, ${one.root_note ?? "no pitch"}, ${duration(one.duration_s)}` : "";
});
const { pressed } = useMousePressed({ target: () => containerProps.ref.value, touch: false });
let asked = 0;

watch(query, async (q) => {
  const number = ++asked;
  try {
    const answer = q.trim() ? await wanted(api.GET("/api/recordings/found", { params: { query: { q } } })) : null;
    await released();
    if (number === asked) found.value = answer && new Set(answer.ids);
  } catch (error) {
    useNotices().complain(error);
  }
});
// what was searched for stands first, and is in view; what comes onto the shelf meanwhile moves nothing
watch(found, async () => {
  at.value = 0;
  await nextTick();
  scrollTo(0);
});

/** A line that moves between press and release is not clicked, so the list waits for the button. */
async function released(): Promise<void> {
  if (!pressed.value) return;
  await until(pressed).toBe(false);
  await promiseTimeout(0);
}

function hear(one: RecordingLine): void {
  if (live.listeningTo === one.digest) live.hush();
  else live.listen(one.digest, 0);
}

function take(one: RecordingLine): void {
  if (!props.many) return emit("pick", one.id);
  picked.value = isPicked.value.has(one.id) ? picked.value.filter((other) => other !== one.id) : [...picked.value, one.id];
}

function takeAllShown(): void {
  const ids = shown.value.map((one) => one.id);
  picked.value = allShown.value ? picked.value.filter((one) => !ids.includes(one)) : [...new Set([...picked.value, ...ids])];
}

function step(by: number): void {
  at.value = Math.max(0, Math.min(shown.value.length - 1, at.value + by));
  reveal(containerProps.ref.value, at.value, ROW_PX);
}

function enter(event: KeyboardEvent): void {
  const one = shown.value[at.value];
  if (one) (event.shiftKey ? hear : take)(one);
}

const search = ref<HTMLInputElement>();
onMounted(() => {
  if (!shelf.loaded) void shelf.load();
  void nextTick(() => search.value?.focus());
});
// what was heard for choosing ends with the choosing
onBeforeUnmount(() => shown.value.some(({ digest }) => digest === live.listeningTo) && live.hush());
</script>

<template>
  <div class="flex min-h-0 flex-col">
    <div class="flex items-center gap-3">
      <input
        ref="search"
        v-model="text"
        class="field min-w-0 flex-1"
        type="search"
        placeholder="Name, place, note, or mono, noisy, C3"
        aria-label="Search the shelf"
        title="Arrows go through the list, Enter takes one, Shift Enter hears it"
        @keydown.down.prevent="step(1)"
        @keydown.up.prevent="step(-1)"
        @keydown.enter.prevent="enter"
      />
      <button v-if="many" class="quiet" :disabled="!shown.length" @click="takeAllShown">
        {{ allShown ? "Pick none" : "Pick all shown" }}
      </button>
    </div>
    <span class="sr-only" aria-live="polite">{{ spoken }}</span>
    <div class="mt-2 min-h-0 flex-1" v-bind="containerProps" data-chooser>
      <ul v-bind="wrapperProps">
        <li
          v-for="{ data: one, index } in list"
          :key="one.id"
          class="flex h-11 items-center gap-3 border-b border-hairline px-1"
          :class="{ 'bg-[var(--key-shade)]': index === at }"
        >
          <button class="quiet w-11 !px-1 text-xs" tabindex="-1" :title="`Hear ${one.name}`" @click="hear(one)">
            {{ live.listeningTo === one.digest ? "Stop" : "Hear" }}
          </button>
          <button
            class="flex h-full min-w-0 flex-1 items-center gap-3 text-left"
            tabindex="-1"
            :aria-pressed="many ? isPicked.has(one.id) : undefined"
            :data-pick="one.name"
            @click="((at = index), take(one))"
          >
            <i v-if="many" class="tick" :class="{ 'tick-on': isPicked.has(one.id) }" aria-hidden="true" />
            <span class="w-40 truncate font-serif text-base" :title="`${one.name} (${one.filename})`">{{ one.name }}</span>
            <span class="relative h-7 min-w-0 flex-1"><Waveform :digest="one.digest" colour="wave" /></span>
            <span class="w-14 text-right text-soft">{{ one.root_note?.replace("#", "♯") ?? "no pitch" }}</span>
            <span class="w-16 text-right text-soft">{{ duration(one.duration_s) }}</span>
          </button>
        </li>
      </ul>
      <p v-if="!shown.length" class="py-3 text-soft">
        {{ shelf.recordings.length ? "Nothing on the shelf matches that." : "The shelf is empty: add recordings in Field." }}
      </p>
    </div>
  </div>
</template>

<style scoped>
.tick {
  width: 13px;
  height: 13px;
  border: 1px solid var(--ink-soft);
  border-radius: 3px;
}
.tick-on {
  background: var(--focus);
  border-color: var(--focus);
  box-shadow: inset 0 0 0 2px var(--sheet);
}
</style>
