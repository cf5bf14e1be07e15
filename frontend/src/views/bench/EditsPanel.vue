<script setup lang="ts">
/** What is done to the frames of a wavetable, one step after another. */
import { computed, ref } from "vue";

import MenuButton from "../../controls/MenuButton.vue";
import MenuChoice from "../../controls/MenuChoice.vue";
import { field, type TableStep, type Value } from "../../api/types";
import DeclaredControls from "../../controls/DeclaredControls.vue";
import { spoken } from "../../controls/scale";
import { said, useTable } from "../../stores/table";

const table = useTable();
const open = ref<number | null>(null);
const kinds = computed(() => table.words?.steps ?? []);
const kindOf = (step: TableStep) => kinds.value.find(({ id }) => id === step.do);
const steps = computed(() => table.document?.steps ?? []);
const frames = computed(() => table.made?.frames ?? 1);

function told(step: TableStep): string {
  if (step.do === "arrange") return `${step.frames.length} frames, in another order`;
  if (step.do === "draw")
    return `${step.levels.length} harmonics drawn in ${step.frame === null ? "all frames" : `frame ${Number(step.frame) + 1}`}`;
  return (kindOf(step)?.parameters ?? []).map((p) => `${p.name} ${said(p, field(step, p.id), spoken)}`).join(", ");
}

function add(step: TableStep, label: string): void {
  open.value = steps.value.length;
  void table.edit(label, (document) => document.steps.push(step));
}

function addKind(id: string): void {
  const kind = kinds.value.find((one) => one.id === id)!;
  const first = Object.fromEntries(kind.parameters.map((p) => [p.id, p.default]));
  // its kind says what belongs to it; the server completes and checks it
  add({ do: id, ...first } as TableStep, kind.name);
}

/** Frames in another order, as a step. */
function arrange(label: string, change: (all: number[], chosen: number) => number[]): void {
  const all = Array.from({ length: frames.value }, (_, i) => i);
  const kept = change(all, table.chosen);
  if (kept.length) add({ do: "arrange", frames: kept }, label);
}

function set(index: number, id: string, to: Value, label: string): void {
  void table.edit(label, (document) => Object.assign(document.steps[index]!, { [id]: to }));
}

function remove(index: number): void {
  open.value = null;
  void table.edit("Remove a step", (document) => document.steps.splice(index, 1));
}

const ORDER: { word: string; help: string; change: (all: number[], at: number) => number[]; least: number }[] = [
  { word: "Reverse", help: "The last frame first", change: (all) => all.toReversed(), least: 2 },
  { word: "Delete this frame", help: "Leave the chosen frame out", change: (all, at) => all.filter((one) => one !== at), least: 2 },
  {
    word: "Duplicate this frame",
    help: "The chosen frame twice",
    change: (all, at) => [...all.slice(0, at + 1), ...all.slice(at)],
    least: 1,
  },
  { word: "Move it earlier", help: "Change places with the frame before", change: (all, at) => swapped(all, at, at - 1), least: 2 },
  { word: "Move it later", help: "Change places with the frame after", change: (all, at) => swapped(all, at, at + 1), least: 2 },
];

function swapped(all: number[], one: number, other: number): number[] {
  if (other < 0 || other >= all.length) return [];
  const next = [...all];
  [next[one], next[other]] = [next[other]!, next[one]!];
  return next;
}
</script>

<template>
  <section aria-label="Edits">
    <div class="flex items-baseline justify-between">
      <h2 class="font-serif text-lg">Then</h2>
      <MenuButton word="+ Edit" button-class="quiet text-focus" width="w-72">
        <MenuChoice v-for="kind in kinds" :key="kind.id" @click="addKind(kind.id)" class="!py-1"
          ><span class="font-medium">{{ kind.name }}</span> <span class="text-soft">{{ kind.help }}</span></MenuChoice
        >
        <p class="mt-1 border-t border-hairline px-4 pt-1.5 text-xs text-soft">frame {{ table.chosen + 1 }} and the order</p>
        <MenuChoice
          v-for="one in ORDER"
          :key="one.word"
          :disabled="frames < one.least"
          :title="one.help"
          @click="arrange(one.word, one.change)"
          class="!py-1"
          >{{ one.word }}</MenuChoice
        >
      </MenuButton>
    </div>
    <p v-if="!steps.length" class="text-soft">Nothing is done to the frames yet.</p>
    <ol>
      <li
        v-for="(step, i) in steps"
        :key="i"
        class="border-b border-hairline py-1"
        :class="open === i ? '-mx-2 bg-sheet px-2' : ''"
        :data-edit="step.do"
      >
        <div class="flex items-baseline gap-2">
          <button class="min-w-0 flex-1 text-left" :aria-expanded="open === i" @click="open = open === i ? null : i">
            <span class="font-serif text-base">{{ kindOf(step)?.name ?? (step.do === "draw" ? "drawn" : "order") }}</span>
            <span v-if="open !== i || !kindOf(step)" class="block truncate text-xs text-soft">{{ told(step) }}</span>
          </button>
          <button class="quiet !px-1 text-xs" @click="remove(i)">Remove</button>
        </div>
        <div v-if="open === i && kindOf(step)" class="flex flex-col gap-1.5 pb-1">
          <DeclaredControls
            :declared="kindOf(step)!.parameters"
            :values="step"
            @move="(id, value) => table.move(`/steps/${i}/${id}`, value)"
            @rest="(id, value, name) => set(i, id, value, name)"
          />
        </div>
      </li>
    </ol>
  </section>
</template>
