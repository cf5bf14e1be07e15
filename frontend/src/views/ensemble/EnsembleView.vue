<script setup lang="ts">
/** Ensemble: who plays where on the keys, and how loud? */
import { computed, ref } from "vue";
import { useRouter } from "vue-router";

import { useAddressed } from "../../composables/addressed";
import EditableName from "../../controls/EditableName.vue";
import ExportChoices from "../../controls/ExportChoices.vue";
import MenuButton from "../../controls/MenuButton.vue";
import MenuChoice from "../../controls/MenuChoice.vue";
import UndoRedo from "../../controls/UndoRedo.vue";
import ViewHelp from "../../frame/ViewHelp.vue";
import { useShortcuts } from "../../frame/shortcuts";
import { useEnsemble } from "../../stores/ensemble";
import { useInstrument } from "../../stores/instrument";
import { useLive } from "../../stores/live";
import { useProject } from "../../stores/project";
import RenderDialog from "../instrument/RenderDialog.vue";
import EnsemblesDialog from "./EnsemblesDialog.vue";
import PlayerPanel from "./PlayerPanel.vue";
import PlayersPicture from "./PlayersPicture.vue";

const router = useRouter();
const ensemble = useEnsemble();
const instrument = useInstrument();
const live = useLive();
const project = useProject();
const choosing = ref(false);
const rendering = ref(false);

const doc = computed(() => ensemble.document);
const words = computed(() => {
  const count = ensemble.players.length;
  const all = count === 1 ? "1 player" : `${count} players`;
  // materials that were never heard take a moment to be made
  const ready = live.state !== "on" || ensemble.players.every(({ id }) => id in live.look.players);
  return ready ? `${all}, ${live.look.voices} voices sound now` : `${all}, getting ready`;
});
const full = computed(() => ensemble.players.length >= project.catalogue.most_players);

useAddressed("ensemble", "/ensemble", ensemble, { again: () => ensemble.hear() });

const rename = (name: string) => ensemble.edit("Rename", [{ op: "replace", path: "/name", value: name }]);

async function start(): Promise<void> {
  const id = await ensemble.create("Ensemble", instrument.id === null ? [] : [instrument.id]);
  if (id !== null) await router.push(`/ensemble/${id}`);
}

async function duplicate(): Promise<void> {
  const id = await ensemble.duplicate();
  if (id !== null) await router.push(`/ensemble/${id}`);
}

async function remove(): Promise<void> {
  await ensemble.remove((id) => void router.push(`/ensemble/${id}`));
  await router.push("/instrument");
}

useShortcuts({ undo: () => ensemble.step("undo"), redo: () => ensemble.step("redo") });
</script>

<template>
  <div class="flex h-full">
    <section class="flex min-w-0 flex-1 flex-col px-6 pt-4 pb-3" aria-label="Ensemble">
      <div class="flex items-center gap-1">
        <h1 class="flex min-w-0 flex-1 font-serif text-xl leading-tight">
          <EditableName v-if="doc" :name="doc.name" what="ensemble" @rename="rename" />
          <template v-else>Ensemble</template>
        </h1>
        <ViewHelp />
        <UndoRedo v-if="doc" :undo="ensemble.undoLabel" :redo="ensemble.redoLabel" @step="ensemble.step" />
        <button class="quiet" title="All ensembles, and a new one" @click="choosing = true">Ensembles</button>
        <MenuButton v-if="doc" word="More" width="w-52">
          <MenuChoice @click="duplicate">Duplicate</MenuChoice>
          <ExportChoices of="ensemble" :id="ensemble.id!" :without="['tuning']" />
          <MenuChoice @click="remove">Delete</MenuChoice>
        </MenuButton>
        <button v-if="doc" class="action-main ml-2" :disabled="!ensemble.players.length" @click="rendering = true">Render</button>
      </div>
      <p v-if="doc" class="mt-1 py-1 text-soft">{{ words }}<span v-if="ensemble.saving">, saving</span></p>
      <PlayersPicture v-if="doc && ensemble.players.length" class="mt-3 min-h-0 flex-1" />
      <div v-else-if="doc" class="mt-[10vh] max-w-md flex-1 text-base">
        <p>Nobody plays yet.</p>
        <p class="mt-2 text-soft">
          Choose the first player: a bed, a voice or a strike. Each keeps its keys, its level and its own chance.
        </p>
      </div>
      <div v-else class="mt-[10vh] max-w-md text-base">
        <p>An ensemble is several instruments that are played together.</p>
        <p class="mt-2 text-soft">
          Each answers to the keys, the velocities and the channel that you give it, and makes phrases of its own.
        </p>
        <button class="action-main mt-4 text-sm" @click="start">
          {{ instrument.document ? `Begin one with ${instrument.document.name}` : "Begin one" }}
        </button>
      </div>
      <div v-if="doc" class="mt-2 flex items-center border-t border-hairline pt-1.5">
        <MenuButton
          word="+ Player: an instrument of the project"
          button-class="quiet -ml-2 text-focus"
          align="left"
          width="w-72"
          items-class="max-h-80"
        >
          <MenuChoice
            v-for="one in instrument.lines"
            :key="one.id"
            :disabled="full"
            @click="ensemble.act({ do: 'add player', instrument: one.id })"
            >{{ one.name }}</MenuChoice
          >
        </MenuButton>
        <span v-if="full" class="text-soft">Eight play together at most.</span>
        <span v-else-if="!instrument.lines.length" class="text-soft">There is no instrument yet: grow one in Field.</span>
      </div>
    </section>
    <PlayerPanel v-if="doc" />
    <EnsemblesDialog :open="choosing" @close="choosing = false" />
    <RenderDialog v-if="doc" ensemble :open="rendering" @close="rendering = false" />
  </div>
</template>
