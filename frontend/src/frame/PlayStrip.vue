<script setup lang="ts">
/** Playing, in every view: an expressive surface, or a stand-in for a MIDI keyboard. */
import { useLocalStorage } from "@vueuse/core";
import { computed, onMounted, ref } from "vue";

import Segments from "../controls/Segments.vue";
import { useKeys } from "../live/keys";
import { lettersAreNotes } from "../live/letters";
import { keyboards, lastMessageAt, midiState, openMidi } from "../live/midi";
import { player } from "../live/player";
import { useEnsemble } from "../stores/ensemble";
import { useInstrument } from "../stores/instrument";
import { useLive } from "../stores/live";
import { usePhrase } from "../stores/phrase";
import Handles from "./Handles.vue";
import KeyboardStandIn from "./KeyboardStandIn.vue";
import PhraseFace from "./PhraseFace.vue";
import RecordControls from "./RecordControls.vue";
import { useShortcuts } from "./shortcuts";
import Surface from "./Surface.vue";

const LOWEST = 0;
const HIGHEST = 7;
const instrument = useInstrument();
const ensemble = useEnsemble();
const live = useLive();
const phrase = usePhrase();
const folded = useLocalStorage("bloom-strip-folded", false);
/** One line, where it is folded or there is nothing to play. */
const slim = computed(() => folded.value || (!name.value && !keyboards.value.length));
const face = useLocalStorage<"surface" | "keyboard" | "handles" | "phrase">("bloom-strip-face", "surface");
/** Macros belong to one instrument: players of an ensemble have their own. */
const shownFace = computed(() => (face.value === "handles" && live.playsEnsemble && !live.borrowed ? "surface" : face.value));
const FACES: { value: typeof face.value; word: string; help?: string }[] = [
  { value: "surface", word: "Surface" },
  { value: "keyboard", word: "Keyboard", help: "Sends what a MIDI keyboard would" },
  { value: "handles", word: "Handles", help: "Macros, their morph, and the gesture pad" },
  { value: "phrase", word: "Phrase", help: "What chords that are held become" },
];
const faces = computed(() =>
  FACES.filter(({ value }) => value !== "handles" || !live.playsEnsemble || live.borrowed !== null).map((one) =>
    one.value === "phrase" && phrase.on ? { ...one, word: "Phrase on" } : one,
  ),
);
const octave = ref(3);
const name = computed(() => live.borrowed?.name ?? live.inHand?.name ?? "");
const petal = computed(() => {
  if (live.borrowed) return "iris";
  return (live.playsEnsemble ? ensemble.chosen?.petal : instrument.layer?.petal) ?? "madder";
});
const midi = computed(() => {
  if (keyboards.value.length) return keyboards.value.join(", ");
  return {
    ready: "No MIDI keyboard connected",
    refused: "MIDI not allowed by the browser",
    missing: "No MIDI in this browser",
    unknown: "",
  }[midiState.value];
});

const strip = ref<HTMLElement>();
/** The strip takes the focus, and letters are notes again. */
const playAgain = () => strip.value?.querySelector<HTMLElement>("[tabindex='0']")?.focus();

useKeys(octave);
onMounted(() => openMidi());

function shift(by: number): void {
  octave.value = Math.min(HIGHEST, Math.max(LOWEST, octave.value + by));
}

// Esc is left to others as well: to a dialog, or a step that asks for something
useShortcuts({ panic: () => (player.panic(), false), hold: () => player.hold(!player.holding.value) });
</script>

<template>
  <section
    ref="strip"
    class="shrink-0 border-t border-hairline bg-sheet px-5"
    aria-label="Play strip"
    :style="{ '--petal': `var(--${petal})` }"
  >
    <div class="flex gap-4" :class="slim ? 'h-9 items-center' : 'h-24 py-2.5'">
      <div class="flex shrink-0" :class="slim ? 'items-center gap-3 w-auto' : 'w-[15rem] flex-col justify-between'">
        <div class="min-w-0" :class="slim ? 'flex items-center gap-2' : 'relative'">
          <p
            class="text-xs text-soft"
            :class="slim ? '' : 'truncate pr-32'"
            :title="lettersAreNotes ? 'The letters of the computer play notes' : 'What has the focus takes letters as commands'"
          >
            <template v-if="!name">Nothing to play yet</template>
            <template v-else-if="live.state === 'starting'">Sound is starting</template>
            <template v-else-if="live.reading">Its sounds are being read</template>
            <button v-else-if="!lettersAreNotes" class="text-warn" data-testid="letters" @click="playAgain">Letters are commands</button>
            <span v-else data-testid="letters">Letters play</span
            ><span v-if="live.look.voices && live.look.taking.state === 'idle'"
              >, {{ live.look.voices }} {{ live.look.voices === 1 ? "voice" : "voices" }}</span
            >
          </p>
          <p class="truncate font-serif text-base leading-tight">{{ name || "Grow an instrument in Field" }}</p>
          <RecordControls v-if="name" :class="slim ? '' : 'absolute -top-2 -right-1'" />
        </div>
        <div class="flex items-center gap-0.5 -ml-1.5">
          <button
            class="quiet"
            :aria-pressed="player.holding.value"
            :class="player.holding.value ? 'bg-ink font-medium text-paper hover:!bg-ink' : ''"
            title="Notes go on when keys are let go (Space)"
            @click="player.hold(!player.holding.value)"
          >
            Hold
          </button>
          <span class="flex items-center" title="Octave of the computer's keys; the strip reaches one lower and further up">
            <button class="quiet" aria-label="Octave down" :disabled="octave === LOWEST" @click="shift(-1)">&minus;</button>
            C{{ octave }}
            <button class="quiet" aria-label="Octave up" :disabled="octave === HIGHEST" @click="shift(1)">+</button>
          </span>
          <button class="quiet" title="Silence everything (Esc)" @click="player.panic()">Silence</button>
          <button
            v-if="name"
            class="quiet text-xs text-soft"
            :title="`${folded ? 'Unfold' : 'Fold'} the strip. ${midi}`"
            @click="folded = !folded"
          >
            <i v-if="keyboards.length" class="mr-1 inline-block size-1.5 rounded-full bg-good" :key="lastMessageAt" />{{
              folded ? "Unfold" : "Fold"
            }}
          </button>
        </div>
      </div>
      <template v-if="!slim">
        <Surface v-if="shownFace === 'surface'" class="min-w-0 flex-1" :octave="octave" @shift="shift" />
        <Handles v-else-if="shownFace === 'handles'" class="min-w-0 flex-1" />
        <PhraseFace v-else-if="shownFace === 'phrase'" class="min-w-0 flex-1" />
        <KeyboardStandIn v-else class="min-w-0 flex-1" :octave="octave" />
      </template>
      <div class="flex shrink-0 items-end justify-between" :class="slim ? 'flex-1 items-center' : 'w-24 flex-col'">
        <Segments
          v-if="!slim"
          :model-value="shownFace"
          label="Face of the strip"
          class="flex-col text-right"
          :options="faces"
          tight
          @update:model-value="face = $event"
        />
        <span v-else class="truncate text-xs text-soft" :title="midi">{{ midi }}</span>
      </div>
    </div>
  </section>
</template>
