<script setup lang="ts">
/** Playing, in every view: an expressive surface, or a stand-in for a MIDI keyboard. */
import { useLocalStorage } from "@vueuse/core";
import { computed, onMounted, ref } from "vue";

import Segments from "../controls/Segments.vue";
import { useKeys } from "../live/keys";
import { lettersAreNotes } from "../live/letters";
import { keyboards, lastMessageAt, midiState, openMidi } from "../live/midi";
import { player } from "../live/player";
import { useInstrument } from "../stores/instrument";
import { useLive } from "../stores/live";
import Handles from "./Handles.vue";
import KeyboardStandIn from "./KeyboardStandIn.vue";
import { useShortcuts } from "./shortcuts";
import Surface from "./Surface.vue";

const LOWEST = 0;
const HIGHEST = 7;
const instrument = useInstrument();
const live = useLive();
const folded = useLocalStorage("bloom-strip-folded", false);
/** One line, where it is folded or there is nothing to play. */
const slim = computed(() => folded.value || (!name.value && !keyboards.value.length));
const face = useLocalStorage<"surface" | "keyboard" | "handles">("bloom-strip-face", "surface");
const octave = ref(3);
const name = computed(() => live.borrowed?.name ?? instrument.document?.name ?? "");
const petal = computed(() => (live.borrowed ? "iris" : (instrument.layer?.petal ?? "madder")));
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
      <div class="flex w-[11.5rem] shrink-0" :class="slim ? 'items-center gap-3 w-auto' : 'flex-col justify-between'">
        <div class="min-w-0" :class="slim ? 'flex gap-2' : ''">
          <p
            class="text-xs text-soft"
            :title="lettersAreNotes ? 'The letters of the computer play notes' : 'What has the focus takes letters as commands'"
          >
            <template v-if="!name">Nothing to play yet</template>
            <template v-else-if="live.state === 'starting'">Sound is starting</template>
            <button v-else-if="!lettersAreNotes" class="text-warn" data-testid="letters" @click="playAgain">Letters are commands</button>
            <span v-else data-testid="letters">Letters play</span
            ><span v-if="live.look.voices">, {{ live.look.voices }} {{ live.look.voices === 1 ? "voice" : "voices" }}</span>
          </p>
          <p class="truncate font-serif text-base leading-tight">{{ name || "Grow an instrument in Field" }}</p>
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
        </div>
      </div>
      <template v-if="!slim">
        <Surface v-if="face === 'surface'" class="min-w-0 flex-1" :octave="octave" @shift="shift" />
        <Handles v-else-if="face === 'handles'" class="min-w-0 flex-1" />
        <KeyboardStandIn v-else class="min-w-0 flex-1" :octave="octave" />
      </template>
      <div class="flex shrink-0 items-end justify-between" :class="slim ? 'flex-1 items-center' : 'w-24 flex-col'">
        <Segments
          v-if="!slim"
          v-model="face"
          label="Face of the strip"
          class="flex-col text-right"
          :options="[
            { value: 'surface', word: 'Surface' },
            { value: 'keyboard', word: 'Keyboard', help: 'Sends what a MIDI keyboard would' },
            { value: 'handles', word: 'Handles', help: 'Macros, their morph, and the gesture pad' },
          ]"
          tight
        />
        <span v-else class="truncate text-xs text-soft" :title="midi">{{ midi }}</span>
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
  </section>
</template>
