<script setup lang="ts">
/** Recording a take from the play strip: one key, how it begins, what is played along to, what was just played. */
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";

import MenuButton from "../controls/MenuButton.vue";
import MenuChoice from "../controls/MenuChoice.vue";
import ShelfPicker from "../controls/ShelfPicker.vue";
import { lettersAreNotes } from "../live/letters";
import { useLive } from "../stores/live";
import { useNotices } from "../stores/notices";
import { useShelf } from "../stores/shelf";
import { useTakes } from "../stores/takes";
import { useTaking } from "../stores/taking";
import { clock } from "../charts/takeLine";
import TakesDialog from "../views/takes/TakesDialog.vue";
import { useShortcuts } from "./shortcuts";

const COUNT_IN = 4;
const taking = useTaking();
const takes = useTakes();
const live = useLive();
const shelf = useShelf();
const router = useRouter();
const picking = ref<"sound" | "take" | null>(null);
const midi = ref<HTMLInputElement>();
const word = computed(
  () =>
    ({
      idle: "Record",
      waiting: "Waits for a note",
      counting: live.look.taking.beats ? `In ${live.look.taking.beats}` : "Begins",
      recording: `Stop ${clock(live.look.taking.seconds)}`,
    })[taking.state],
);
const help = computed(
  () =>
    ({
      idle: "Keep the hands as well as the sound (Shift R)",
      waiting: "The take begins with the first note; press to leave it (Shift R)",
      counting: "Counting in; press to leave it (Shift R)",
      recording: "End the take (Shift R)",
    })[taking.state],
);
const played = computed(() => Math.round(live.look.taking.played));

function pick(recording: number): void {
  picking.value = null;
  const found = shelf.byId.get(recording);
  if (found) taking.playAlong({ recording: found.digest, name: found.name });
}

function pickTake(id: number): void {
  picking.value = null;
  const found = takes.lines.find((one) => one.id === id);
  if (found) taking.playAlong({ take: found.folder, name: found.name });
}

async function chooseTake(): Promise<void> {
  await takes.list();
  picking.value = "take";
}

function openMidi(event: Event): void {
  const input = event.target as HTMLInputElement;
  const chosen = input.files?.[0];
  input.value = "";
  if (chosen) void taking.playAlongMidi(chosen);
}

function louder(by: number): void {
  if (taking.backing) taking.backing = { ...taking.backing, gain: Math.min(12, Math.max(-60, (taking.backing.gain ?? -6) + by)) };
}

// a new take is offered from wherever it was played
watch(
  () => taking.entered,
  async (ids) => {
    await takes.list();
    const found = takes.lines.find(({ id }) => id === ids.at(-1));
    if (!found || router.currentRoute.value.name === "takes") return;
    useNotices().tell(`'${found.name}' is recorded, ${clock(found.seconds)}.`, {
      word: "Show it",
      take: () => void router.push(`/takes/${found.id}`),
    });
  },
);

const marks = () => (taking.recording ? taking.mark() : false);
useShortcuts({ record: taking.toggle, mark: marks });
useShortcuts({ recordHere: taking.toggle }, () => !lettersAreNotes.value);
</script>

<template>
  <div class="flex items-center">
    <button
      class="quiet flex items-center gap-1.5"
      :class="taking.state === 'idle' ? '' : 'bg-bad font-medium text-paper hover:!bg-bad'"
      :aria-pressed="taking.state !== 'idle'"
      :title="help"
      data-testid="record"
      @click="taking.toggle()"
    >
      <i class="size-2 rounded-full" :class="taking.state === 'idle' ? 'bg-bad' : 'bg-paper'" />{{ word }}
    </button>
    <button v-if="taking.recording" class="quiet" title="That was good: a mark in the take ( . )" @click="taking.mark()">
      Mark<span v-if="live.look.taking.marks" class="text-soft">&nbsp;{{ live.look.taking.marks }}</span>
    </button>
    <MenuButton v-else word="▾" label="How a take begins" align="left" button-class="quiet !px-1 text-soft" width="w-72">
      <MenuChoice :disabled="!played" @click="taking.keepPlayed()">
        Keep what I just played<span class="text-soft">{{ played ? `, ${clock(played)}` : ": nothing yet" }}</span>
      </MenuChoice>
      <p class="mx-4 mt-1.5 border-t border-hairline pt-1.5 text-xs text-soft">A take begins</p>
      <MenuChoice @click="Object.assign(taking.settings, { wait: false, beats: 0 })">
        {{ !taking.settings.wait && !taking.settings.beats ? "✓ " : "" }}at once
      </MenuChoice>
      <MenuChoice @click="Object.assign(taking.settings, { wait: true, beats: 0 })">
        {{ taking.settings.wait ? "✓ " : "" }}with the first note
      </MenuChoice>
      <MenuChoice @click="Object.assign(taking.settings, { wait: false, beats: COUNT_IN })">
        {{ taking.settings.beats ? "✓ " : "" }}after {{ COUNT_IN }} beats, at the instrument's tempo
      </MenuChoice>
      <MenuChoice @click="taking.settings.click = !taking.settings.click">
        {{ taking.settings.click ? "✓ " : "" }}a click goes on, never in the take
      </MenuChoice>
      <p class="mx-4 mt-1.5 border-t border-hairline pt-1.5 text-xs text-soft">Play along to</p>
      <MenuChoice v-if="taking.backing" @click="taking.backing = null">✓ {{ taking.backing.name }}: leave it out</MenuChoice>
      <template v-if="taking.backing">
        <MenuChoice @click="louder(3)">louder, now {{ taking.backing.gain }} dB</MenuChoice>
        <MenuChoice @click="louder(-3)">quieter</MenuChoice>
      </template>
      <MenuChoice @click="picking = 'sound'">a sound from the shelf</MenuChoice>
      <MenuChoice @click="chooseTake()">a take</MenuChoice>
      <MenuChoice :disabled="!!taking.midi" @click="midi?.click()">
        {{ taking.midi ? `'${taking.midi}' is being played` : "a MIDI file, played by this instrument" }}
      </MenuChoice>
    </MenuButton>
    <input ref="midi" class="hidden" type="file" accept=".mid,.midi" aria-label="A MIDI file to play along to" @change="openMidi" />
    <ShelfPicker :open="picking === 'sound'" title="Play along to" @close="picking = null" @pick="pick" />
    <TakesDialog :open="picking === 'take'" title="Play along to a take" @close="picking = null" @show="pickTake" />
  </div>
</template>
