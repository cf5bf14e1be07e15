<script setup lang="ts">
/** Deliver, samples: an instrument as files with a map, which keys and velocities each stands for. */
import { computed } from "vue";
import { useRouter } from "vue-router";

import { useAddressed } from "../../composables/addressed";
import EditableName from "../../controls/EditableName.vue";
import MenuButton from "../../controls/MenuButton.vue";
import MenuChoice from "../../controls/MenuChoice.vue";
import UndoRedo from "../../controls/UndoRedo.vue";
import ViewHelp from "../../frame/ViewHelp.vue";
import { useShortcuts } from "../../frame/shortcuts";
import { useDeliver } from "../../stores/deliver";
import { useInstrument } from "../../stores/instrument";
import { isActive, useJobs } from "../../stores/jobs";
import { useSamples } from "../../stores/samples";
import { counted } from "../../theme/words";
import DeliverWays from "../deliver/DeliverWays.vue";
import KeyMap from "./KeyMap.vue";
import SampleDetail from "./SampleDetail.vue";
import SamplesPanel from "./SamplesPanel.vue";

const router = useRouter();
const samples = useSamples();
const instrument = useInstrument();
const jobs = useJobs();
useDeliver().way = "samples";

const doc = computed(() => samples.document);
const running = computed(() => (isActive(samples.sampling) ? samples.sampling : null));
const words = computed(() => {
  if (!doc.value) return "";
  const keys = new Set(samples.notes.map(({ key }) => key)).size;
  const of = `of ${doc.value.instrument_name}`;
  return keys ? `${counted(samples.notes.length, "note")} ${of}, at ${counted(keys, "key")}` : of;
});

useAddressed("samples", "/deliver/samples", samples);

const rename = (name: string) => samples.edit("Rename", [{ op: "replace", path: "/name", value: name }]);

async function begin(of: number): Promise<void> {
  const id = await samples.create(of);
  if (id !== null) await router.push(`/deliver/samples/${id}`);
}

async function remove(): Promise<void> {
  await samples.remove((id) => void router.push(`/deliver/samples/${id}`));
  await router.push("/deliver/samples");
}

useShortcuts({ undo: () => samples.step("undo"), redo: () => samples.step("redo") });
</script>

<template>
  <div class="flex h-full">
    <section class="flex min-w-0 flex-1 flex-col px-6 pt-4 pb-3" aria-label="Samples">
      <div class="flex items-center gap-1 max-xl:flex-wrap">
        <h1 class="flex min-w-0 flex-1 font-serif text-xl leading-tight max-xl:basis-full">
          <EditableName v-if="doc" :name="doc.name" what="set of samples" @rename="rename" />
          <template v-else>Samples</template>
        </h1>
        <ViewHelp />
        <DeliverWays way="samples" />
        <UndoRedo v-if="doc" :undo="samples.undoLabel" :redo="samples.redoLabel" @step="samples.step" />
        <MenuButton word="Sets" width="w-72" items-class="max-h-80" @open="samples.list()">
          <MenuChoice v-for="one in samples.lines" :key="one.id" @click="router.push(`/deliver/samples/${one.id}`)">{{
            one.name
          }}</MenuChoice>
          <p v-if="!samples.lines.length" class="px-3 py-1 text-soft">There is none yet.</p>
        </MenuButton>
        <MenuButton word="New set" width="w-80" items-class="max-h-96">
          <MenuChoice v-for="one in instrument.lines" :key="one.id" @click="begin(one.id)">{{ one.name }}</MenuChoice>
          <p v-if="!instrument.lines.length" class="px-3 py-1 text-soft">There is no instrument yet: grow one in Field.</p>
        </MenuButton>
        <MenuButton v-if="doc" word="More" width="w-40"><MenuChoice @click="remove">Delete</MenuChoice></MenuButton>
      </div>
      <p v-if="doc" class="mt-1 py-1 font-serif text-base text-soft italic">
        {{ words }}<span v-if="samples.saving" class="font-sans text-sm not-italic">, saving</span>
      </p>
      <div v-if="running" class="mt-2 flex items-center gap-3" role="status">
        <span class="text-soft">Sampling</span>
        <progress class="h-1.5 flex-1" :value="running.progress" max="1" aria-label="Sampling" />
        <button class="quiet font-medium" @click="jobs.cancel(running.id)">Cancel</button>
      </div>
      <template v-if="doc && samples.notes.length">
        <KeyMap class="mt-2 min-h-0 flex-1" />
        <SampleDetail class="mt-3 shrink-0" />
      </template>
      <div v-else-if="doc && !running" class="mt-[8vh] max-w-md flex-1 text-base">
        <p>Nothing has been sampled yet.</p>
        <p class="mt-2 text-soft">
          Say at the right which keys and velocities are wanted, and how long each is held. Loops are found, and a map in an open format
          goes with the files.
        </p>
        <button class="action-main mt-4 text-sm" @click="samples.make()">Sample {{ doc.instrument_name }}</button>
      </div>
      <div v-else-if="!doc" class="mt-[8vh] max-w-md text-base">
        <p>Other tools play an instrument as samples: files with root and loop, and a map of which keys and velocities each stands for.</p>
        <p v-if="instrument.lines.length" class="mt-2 text-soft">
          Choose the instrument that is sampled, under New set, or take the one at hand:
        </p>
        <p v-else class="mt-2 text-soft">There is no instrument yet: grow one in Field.</p>
        <button v-if="instrument.document && instrument.id !== null" class="action-main mt-4 text-sm" @click="begin(instrument.id)">
          Samples of {{ instrument.document.name }}
        </button>
      </div>
    </section>
    <SamplesPanel v-if="doc" />
  </div>
</template>
