<script setup lang="ts">
/** What is done with an instrument as a whole. */
import { ref } from "vue";
import { useRouter } from "vue-router";

import { upload } from "../../api/client";
import ExportChoices from "../../controls/ExportChoices.vue";
import MenuButton from "../../controls/MenuButton.vue";
import MenuChoice from "../../controls/MenuChoice.vue";
import ShelfPicker from "../../controls/ShelfPicker.vue";
import { useInstrument } from "../../stores/instrument";
import { useJobs } from "../../stores/jobs";
import { useNotices } from "../../stores/notices";
import { usePrints } from "../../stores/prints";
import { useShelf } from "../../stores/shelf";
import PortraitDialog from "./PortraitDialog.vue";
import VariantsDialog from "./VariantsDialog.vue";

const router = useRouter();
const instrument = useInstrument();
const shelf = useShelf();
const prints = usePrints();
const bundle = ref<HTMLInputElement>();
const swapping = ref(false);
const portraying = ref(false);
const varying = ref(false);

async function swapAll(recording: number): Promise<void> {
  swapping.value = false;
  await instrument.act({ do: "swap all", recording });
}

async function duplicate(): Promise<void> {
  const id = await instrument.duplicate();
  if (id !== null) await router.push(`/instrument/${id}`);
}

async function remove(): Promise<void> {
  await instrument.remove((id) => void router.push(`/instrument/${id}`));
  await router.push("/instrument");
}

async function openBundle(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement;
  const file = input.files?.[0];
  input.value = "";
  if (!file) return;
  try {
    const { job } = await upload("/api/bundles", file, () => undefined, new AbortController().signal);
    useJobs().follow(job as string, async (done) => {
      await instrument.list();
      await shelf.load();
      const { ensemble, instrument: alone } = done.result;
      await router.push(ensemble === null ? `/instrument/${alone}` : `/ensemble/${ensemble}`);
    });
  } catch (error) {
    useNotices().complain(error);
  }
}
</script>

<template>
  <MenuButton word="More" width="w-56">
    <template v-if="instrument.document">
      <MenuChoice title="Neighbours of this instrument, side by side" @click="varying = true">Variants</MenuChoice>
      <MenuChoice title="What every key sounds like, at a glance" @click="portraying = true">Portrait</MenuChoice>
      <MenuChoice
        class="border-t border-hairline"
        title="One note as it sounds now, on the shelf and as a layer of its own"
        :disabled="prints.printing"
        @click="prints.print()"
        >{{ prints.printing ? "Printing a note" : "Print a note as a layer" }}</MenuChoice
      >
      <MenuChoice title="Another recording in place of all, every setting kept" @click="swapping = true">Swap all sounds</MenuChoice>
      <MenuChoice title="The same instrument over many recordings, ranked, heard and kept" @click="router.push(`/swap/${instrument.id}`)"
        >Swap sheet</MenuChoice
      >
      <MenuChoice class="border-t border-hairline" @click="duplicate">Duplicate</MenuChoice>
      <ExportChoices of="instrument" :id="instrument.id!" :without="instrument.document.tuning ? [] : ['tuning']" />
    </template>
    <MenuChoice @click="bundle?.click()">Open a bundle</MenuChoice>
    <MenuChoice v-if="instrument.document" @click="remove">Delete</MenuChoice>
  </MenuButton>
  <input ref="bundle" type="file" accept=".zip" hidden data-testid="bundle" aria-label="Bundle to open" @change="openBundle" />
  <template v-if="instrument.document">
    <ShelfPicker :open="swapping" title="A recording in place of all" @close="swapping = false" @pick="swapAll" />
    <PortraitDialog :open="portraying" @close="portraying = false" />
    <VariantsDialog :open="varying" @close="varying = false" />
  </template>
</template>
