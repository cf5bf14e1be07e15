<script setup lang="ts">
/** What can be done to all sounds that are picked. */
import { ref } from "vue";
import { useRouter } from "vue-router";

import MenuButton from "../../controls/MenuButton.vue";
import MenuChoice from "../../controls/MenuChoice.vue";
import ShelfPicker from "../../controls/ShelfPicker.vue";
import { useField } from "../../stores/field";
import { useInstrument } from "../../stores/instrument";
import { useMany } from "../../stores/many";
import { useShelf } from "../../stores/shelf";
import AddToLayer from "./AddToLayer.vue";
import DescribeMany from "./DescribeMany.vue";
import RenameMany from "./RenameMany.vue";

defineEmits<{ export: []; cycles: [] }>();
const field = useField();
const many = useMany();
const shelf = useShelf();
const router = useRouter();
const tag = ref("");
const asked = ref<"" | "layer" | "describe" | "rename" | "recipe" | "keep">("");

const SPREADS = [
  { spread: "chance", word: "One at random for every note" },
  { spread: "key", word: "Spread along the keys" },
  { spread: "velocity", word: "Spread by velocity" },
  { spread: "control", word: "Chosen by the mod wheel" },
] as const;

async function grow(spread: (typeof SPREADS)[number]["spread"]): Promise<void> {
  const id = await many.grow(field.picked, spread);
  if (id === null) return;
  await useInstrument().list();
  await router.push(`/instrument/${id}`);
}

async function tagPicked(): Promise<void> {
  const text = tag.value.trim();
  tag.value = "";
  if (text) await field.batch("tag", field.picked, text);
}

async function lay(recipe: number): Promise<void> {
  const keep = asked.value === "keep";
  asked.value = "";
  await many.useRecipe(
    recipe,
    field.picked.filter((id) => id !== recipe),
    keep,
  );
}
</script>

<template>
  <div class="flex shrink-0 items-center gap-1">
    <span class="mr-1 text-soft">{{ field.picked.length }} picked</span>
    <input
      v-model="tag"
      class="field w-24 !py-0.5"
      maxlength="40"
      placeholder="tag them"
      aria-label="Tag the picked"
      list="tags-of-picked"
      @keydown.enter="tagPicked"
      @keydown.stop
    />
    <datalist id="tags-of-picked"><option v-for="one in shelf.tags" :key="one" :value="one" /></datalist>
    <MenuButton word="Grow" button-class="quiet font-medium text-focus">
      <p class="px-4 pb-1 text-soft">One instrument of all that are picked</p>
      <MenuChoice v-for="one in SPREADS" :key="one.spread" @click="grow(one.spread)">{{ one.word }}</MenuChoice>
      <MenuChoice class="border-t border-hairline" @click="asked = 'layer'">Add to a layer</MenuChoice>
    </MenuButton>
    <MenuButton word="Change">
      <MenuChoice @click="asked = 'describe'">Collection, place and credits</MenuChoice>
      <MenuChoice @click="asked = 'rename'">Names by a template</MenuChoice>
      <MenuChoice class="border-t border-hairline" @click="asked = 'recipe'">Use a recipe on them</MenuChoice>
      <MenuChoice @click="asked = 'keep'">Use a recipe and keep each</MenuChoice>
      <MenuChoice class="border-t border-hairline" title="Each is one cycle, or frames end to end" @click="$emit('cycles')"
        >Wavetable of them</MenuChoice
      >
      <MenuChoice class="border-t border-hairline" @click="field.batch('delete', field.picked)">Delete</MenuChoice>
    </MenuButton>
    <button class="quiet" title="As files, in a zip" @click="$emit('export')">Export</button>
    <button class="quiet text-soft" @click="field.picked = []">Pick none</button>
    <AddToLayer :open="asked === 'layer'" :recordings="field.picked" @close="asked = ''" />
    <DescribeMany :open="asked === 'describe'" :recordings="field.picked" @close="asked = ''" />
    <RenameMany :open="asked === 'rename'" :recordings="field.picked" @close="asked = ''" />
    <ShelfPicker :open="asked === 'recipe' || asked === 'keep'" title="Whose recipe" @close="asked = ''" @pick="lay" />
  </div>
</template>
