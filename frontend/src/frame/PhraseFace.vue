<script setup lang="ts">
/** What chords that are held become: the phrase of the strip, or of the chosen player of an ensemble. */
import { computed } from "vue";

import { type Choice, isChoice, type Parameter, type Value } from "../api/types";
import { matters } from "../controls/declared";
import Rule from "../controls/Rule.vue";
import Segments from "../controls/Segments.vue";
import { usePhrase } from "../stores/phrase";

const phrase = usePhrase();
const choices = computed(() => phrase.declared.filter((one): one is Choice => isChoice(one)));
const rules = computed(() =>
  phrase.declared.filter((one): one is Parameter => !isChoice(one) && matters(one, phrase.declared, phrase.values)),
);
const words = (one: Choice) => one.options.map((value) => ({ value, word: value }));
const set = (id: string, value: Value, name: string) => phrase.set(id, value, name);
</script>

<template>
  <p v-if="phrase.ofEnsemble && !phrase.player" class="self-center text-soft">
    Each player has a phrase of its own: choose one in the picture.
  </p>
  <div v-else class="flex gap-4 xl:gap-6" role="group" :aria-label="phrase.player ? `Phrase of ${phrase.player.name}` : 'Phrase'">
    <div class="flex w-[20.5rem] shrink-0 flex-col justify-between text-xs xl:w-[25rem] xl:text-sm">
      <Segments
        v-for="one in choices"
        :key="one.id"
        tight
        class="-ml-1.5 !flex-nowrap whitespace-nowrap"
        :label="one.name"
        :title="one.help"
        :model-value="String(phrase.values[one.id] ?? one.default)"
        :options="words(one)"
        @update:model-value="set(one.id, $event, one.name)"
      />
    </div>
    <div class="grid min-w-0 flex-1 grid-cols-3 gap-x-3 xl:gap-x-5 gap-y-0.5" :class="phrase.on ? '' : 'opacity-60'">
      <Rule
        v-for="one in rules"
        :key="one.id"
        :parameter="one"
        :value="Number(phrase.values[one.id] ?? one.default)"
        @move="phrase.player || set(one.id, $event, one.name)"
        @rest="set(one.id, $event, one.name)"
      />
    </div>
  </div>
</template>
