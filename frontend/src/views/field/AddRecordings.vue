<script setup lang="ts">
/** Sounds come in: files, folders, the microphone, a recorder's card; or a wavetable is begun. */
import { ref } from "vue";
import { useRouter } from "vue-router";

import MenuButton from "../../controls/MenuButton.vue";
import MenuChoice from "../../controls/MenuChoice.vue";
import { useField } from "../../stores/field";
import { useTable } from "../../stores/table";
import CaptureDialog from "./CaptureDialog.vue";
import CardDialog from "./CardDialog.vue";

const field = useField();
const router = useRouter();
const files = ref<HTMLInputElement>();
const folder = ref<HTMLInputElement>();
const capturing = ref(false);
const fromCard = ref(false);

function choose(event: Event): void {
  const input = event.target as HTMLInputElement;
  void field.add([...(input.files ?? [])]);
  input.value = "";
}

/** A table to begin with: a sine, and another that moves its phase more and more. */
async function buildTable(): Promise<void> {
  const operators = [{ id: "o1" }, { id: "o2", harmonic: 2, start: 0.001, end: 2, into: "o1" }];
  const id = await useTable().make({ document: { name: "Built wavetable", source: { kind: "waves", operators } } });
  if (id !== null) await field.load().then(() => router.push(`/bench/${id}`));
}

defineExpose({ files: () => files.value?.click(), folder: () => folder.value?.click() });
</script>

<template>
  <MenuButton word="Add recordings" button-class="action-main" width="w-60">
    <MenuChoice @click="files?.click()">Choose files</MenuChoice>
    <MenuChoice @click="folder?.click()">Choose a folder</MenuChoice>
    <MenuChoice @click="capturing = true">Capture from the microphone</MenuChoice>
    <MenuChoice @click="fromCard = true">Take off a recorder's card</MenuChoice>
    <MenuChoice @click="buildTable" class="border-t border-hairline">Build a wavetable from waves</MenuChoice>
  </MenuButton>
  <input ref="files" type="file" multiple hidden data-testid="files" aria-label="Files to add" @change="choose" />
  <input ref="folder" type="file" webkitdirectory hidden aria-label="Folder to add" @change="choose" />
  <CaptureDialog :open="capturing" @close="capturing = false" />
  <CardDialog :open="fromCard" @close="fromCard = false" />
</template>
