<script setup lang="ts">
/** Takes: which moments were good? */
import { useLocalStorage } from "@vueuse/core";
import { computed, onMounted, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { clock } from "../../charts/takeLine";
import { useAddressed } from "../../composables/addressed";
import EditableName from "../../controls/EditableName.vue";
import ExportChoices from "../../controls/ExportChoices.vue";
import MenuButton from "../../controls/MenuButton.vue";
import MenuChoice from "../../controls/MenuChoice.vue";
import UndoRedo from "../../controls/UndoRedo.vue";
import ViewHelp from "../../frame/ViewHelp.vue";
import { useShortcuts } from "../../frame/shortcuts";
import { useLive } from "../../stores/live";
import { useNotices } from "../../stores/notices";
import { useTakes } from "../../stores/takes";
import { useTaking } from "../../stores/taking";
import { ago } from "../../theme/words";
import GrowingTake from "./GrowingTake.vue";
import { openTakeFile } from "./takeFiles";
import TakePage from "./TakePage.vue";
import TakePanel from "./TakePanel.vue";
import TakesDialog from "./TakesDialog.vue";

const MOST_CLOSER = 5;
const router = useRouter();
const takes = useTakes();
const taking = useTaking();
const live = useLive();
const choosing = ref(false);
const closer = useLocalStorage("bloom-take-closer", 0);
const file = ref<HTMLInputElement>();
const about = computed(() => takes.document?.about ?? null);
const seconds = computed(() => takes.hands?.seconds ?? about.value?.seconds ?? 0);
const heard = computed(() => live.listeningTo !== null && live.listeningTo === takes.address);
const head = computed(() => (heard.value ? live.look.listening : null));
const under = computed(() => {
  const all = takes.moments;
  const kept = all.filter((one) => one.kept).length;
  const found = takes.ready ? `${all.length} ${all.length === 1 ? "moment" : "moments"} found, ${kept} kept` : "being listened to";
  const notes = takes.hands?.notes.length ?? 0;
  const lanes = takes.hands?.lanes.map(({ name }) => name) ?? [];
  const moved = lanes.length > 3 ? `${lanes.length} lanes` : lanes.join(", ");
  return `${found}; hands kept whole: ${[`${notes} ${notes === 1 ? "note" : "notes"}`, moved].filter(Boolean).join(", ")}`;
});
const warnings = computed(() => {
  const said: string[] = [];
  const missing = takes.hands?.missing ?? [];
  if (missing.length)
    said.push(`It plays ${missing.join(", ")}, no longer in this project: it cannot be played again until that is added.`);
  if (about.value?.cut_short) said.push("Recording it was cut short: at most its last two seconds are missing.");
  if (about.value?.lost) said.push(`${about.value.lost} of its events could not be read and are left out.`);
  if (about.value && !about.value.exact && about.value.origin !== "comp")
    said.push("Something sounded on as it began that is not kept: played again, it is alike but not the same to the bit.");
  return said;
});

async function show(id: number): Promise<void> {
  choosing.value = false;
  await router.push(`/takes/${id}`);
}

useAddressed("takes", "/takes", takes, { last: "bloom-take" });

onMounted(() => {
  void taking.enter();
  if (!takes.listed) void takes.list();
});
watch(
  () => taking.entered,
  async (ids) => {
    await takes.list();
    if (takes.id !== null && ids.includes(takes.id)) await takes.look();
    else if (takes.id === null && ids.length) await show(ids.at(-1)!);
  },
);
watch(
  () => taking.fresh,
  (id) => id !== null && void show(id),
);

function listen(at: number): void {
  live.listenToTake(takes.address, at);
}

async function openFile(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement;
  const chosen = input.files?.[0];
  input.value = "";
  if (!chosen) return;
  try {
    await openTakeFile(chosen);
  } catch (error) {
    useNotices().complain(error);
  }
}

useShortcuts({ undo: () => takes.step("undo"), redo: () => takes.step("redo") });
</script>

<template>
  <div class="flex h-full">
    <section class="flex min-w-0 flex-1 flex-col px-6 pt-4 pb-2" aria-label="Take">
      <div class="flex items-baseline gap-1">
        <h1 class="flex min-w-0 font-serif text-xl leading-tight">
          <template v-if="taking.recording">Recording</template>
          <EditableName v-else-if="takes.document" :name="takes.document.name" what="take" @rename="takes.rename" />
          <template v-else>Takes</template>
        </h1>
        <ViewHelp />
        <p v-if="taking.recording" class="ml-3 min-w-0 flex-1 truncate font-serif text-base text-soft italic">
          {{ clock(live.look.taking.seconds) }}, {{ live.look.taking.marks }} {{ live.look.taking.marks === 1 ? "mark" : "marks" }}
        </p>
        <p v-else-if="about" class="ml-3 min-w-0 flex-1 truncate font-serif text-base text-soft italic" :title="about.began">
          {{ about.instrument_name || "an instrument" }}, {{ clock(seconds, seconds < 60) }}, {{ ago(about.began) }}
        </p>
        <span v-else class="flex-1" />
        <template v-if="takes.document && !taking.recording">
          <span class="flex" title="How closely it is looked at">
            <button class="quiet" aria-label="See more of the take at once" :disabled="closer === 0" @click="closer--">&minus;</button>
            <button class="quiet" aria-label="Look more closely" :disabled="closer >= MOST_CLOSER" @click="closer++">+</button>
          </span>
          <UndoRedo :undo="takes.undoLabel" :redo="takes.redoLabel" @step="takes.step" />
        </template>
        <button v-if="takes.lines.length" class="quiet" @click="choosing = true">All takes, {{ takes.lines.length }}</button>
        <MenuButton word="More" label="More of takes">
          <ExportChoices v-if="takes.id" of="take" :id="takes.id" />
          <MenuChoice @click="file?.click()">Open a take or a MIDI file</MenuChoice>
          <MenuChoice v-if="takes.id" @click="takes.remove((id) => void router.push(`/takes/${id}`)).then(() => router.push('/takes'))">
            Delete this take
          </MenuChoice>
        </MenuButton>
        <input ref="file" class="hidden" type="file" accept=".take,.mid,.midi" aria-label="A take or a MIDI file" @change="openFile" />
      </div>
      <GrowingTake v-if="taking.recording" class="mt-2" />
      <template v-else-if="takes.document">
        <p class="truncate text-soft">{{ under }}</p>
        <p v-for="one in warnings" :key="one" class="mt-1 border-l-4 border-warn pl-2">{{ one }}</p>
        <p v-if="takes.changed" class="mt-1 flex items-baseline gap-2 border-l-4 border-warn pl-2">
          What you hear is from before the hands were changed.
          <button class="quiet text-focus" :disabled="takes.again !== null" @click="takes.hearChanges()">
            {{ takes.again ? "It is being played" : "Hear the changes" }}
          </button>
        </p>
        <p v-if="takes.ready && !seconds" class="mt-10 text-center text-soft">Nothing of this take was recorded: it is 0 seconds long.</p>
        <TakePage class="mt-2" :head="head" :closer="closer" @listen="listen" />
        <div class="flex justify-between pt-1 text-xs text-soft">
          <span class="font-serif text-sm italic">under each line: keys and pad as they were played</span>
          <span>click listens, drag chooses a stretch</span>
        </div>
      </template>
      <div v-else-if="takes.listed" class="mx-auto mt-[12vh] max-w-md text-center">
        <p class="font-serif text-lg">Nothing has been recorded yet</p>
        <p class="mt-2 text-soft">
          Play on the strip below and press Record, or keep what you just played: a take holds what your hands did as well as the sound, so
          that it can be played again, otherwise.
        </p>
        <button class="action-main mt-4 px-4" @click="taking.toggle()">Record a take</button>
      </div>
    </section>
    <TakePanel v-if="takes.document && !taking.recording" :head="head" />
    <TakesDialog :open="choosing" @close="choosing = false" @show="show" />
  </div>
</template>
