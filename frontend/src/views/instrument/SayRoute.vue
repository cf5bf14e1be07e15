<script setup lang="ts">
/** A route typed as a sentence, with completion; where it does not parse it says so. */
import { refDebounced } from "@vueuse/core";
import { ref, watch } from "vue";

import { api, wanted } from "../../api/client";
import { useInstrument } from "../../stores/instrument";

const instrument = useInstrument();
const text = ref("");
const asked = refDebounced(text, 120);
const offers = ref<string[]>([]);
const at = ref(-1);
const entry = ref<HTMLInputElement>();
const said = ref(false);
const wrong = ref<{ text: string; at: number } | null>(null);

// what was wrong was said of the text as it was; offers come a moment later
watch(text, () => ((wrong.value = null), (said.value = false)));
watch(asked, async (typed) => {
  at.value = -1;
  if (!typed.trim() || instrument.id === null) return void (offers.value = []);
  const path = { instrument_id: instrument.id };
  const answer = wanted(api.POST("/api/instruments/{instrument_id}/movement/complete", { params: { path }, body: { text: typed } }));
  const found = await answer.catch(() => ({ sentences: [] }));
  // after Enter it is the answer to that which counts
  if (typed === text.value && !said.value) offers.value = found.sentences.filter((one) => one.trim() !== typed.trim());
});

function take(offer: string): void {
  text.value = offer;
  offers.value = [];
  entry.value?.focus();
}

async function say(): Promise<void> {
  if (at.value >= 0 && offers.value[at.value]) return take(offers.value[at.value]!);
  if (!text.value.trim() || instrument.id === null) return;
  said.value = true;
  offers.value = [];
  const problem = await instrument.say(text.value);
  wrong.value = problem;
  offers.value = [];
  if (!problem) text.value = "";
  else entry.value?.setSelectionRange(Math.max(0, problem.at), text.value.length);
}

function key(event: KeyboardEvent): void {
  event.stopPropagation();
  const count = offers.value.length;
  if (event.key === "ArrowDown" && count) at.value = (at.value + 1) % count;
  else if (event.key === "ArrowUp" && count) at.value = ((at.value + count) % (count + 1)) - (at.value <= 0 ? 0 : 1);
  else if (event.key === "Tab" && count && !event.shiftKey) take(offers.value[Math.max(0, at.value)]!);
  else if (event.key === "Escape") offers.value = [];
  else if (event.key === "Enter") void say();
  else return;
  event.preventDefault();
}
</script>

<template>
  <div class="relative">
    <ul
      v-if="offers.length"
      id="offers"
      class="floating absolute bottom-full left-0 z-20 mb-1 w-full py-1"
      role="listbox"
      aria-label="Sentences it may become"
    >
      <li
        v-for="(offer, i) in offers"
        :key="offer"
        role="option"
        :aria-selected="i === at"
        class="cursor-pointer px-3 py-1 font-serif"
        :class="{ 'bg-[var(--key-shade)]': i === at }"
        @mousedown.prevent="take(offer)"
      >
        {{ offer }}
      </li>
    </ul>
    <p v-if="wrong" class="mb-1 text-warn" role="alert">{{ wrong.text }}</p>
    <input
      ref="entry"
      v-model="text"
      class="field w-full font-serif text-base italic"
      placeholder="Say it: slow tide > ice position 18 %"
      aria-label="Say what moves what"
      role="combobox"
      aria-autocomplete="list"
      :aria-expanded="offers.length > 0"
      aria-controls="offers"
      data-testid="say"
      @keydown="key"
    />
  </div>
</template>
