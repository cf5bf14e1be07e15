<script setup lang="ts">
/** The recipe: its steps in order, each opened to be set; add, reorder, mute, remove, copy. */
import { computed, ref } from "vue";

import ExportChoices from "../../controls/ExportChoices.vue";
import MenuButton from "../../controls/MenuButton.vue";
import MenuChoice from "../../controls/MenuChoice.vue";
import { useBench } from "../../stores/bench";
import { useNotices } from "../../stores/notices";
import StepControls from "./StepControls.vue";

defineProps<{ duration: number }>();
const emit = defineEmits<{ nudge: [id: string, how: "ms" | "sample" | "zero", way: -1 | 1]; copy: []; export: [] }>();
const bench = useBench();
const file = ref<HTMLInputElement>();

const groups = computed(() => {
  const found = new Map<string, typeof bench.kinds>();
  for (const kind of bench.kinds) found.set(kind.group, [...(found.get(kind.group) ?? []), kind]);
  return [...found].map(([name, kinds]) => ({ name, kinds }));
});
/** One line a step, once an open step needs the room. */
const compact = computed(() => bench.face === "step" && bench.steps.length > 3);
const open = (index: number) => bench.face === "step" && bench.chosen === index;

function toggle(index: number): void {
  if (open(index)) bench.turnTo("after");
  else bench.choose(index);
}

function key(event: KeyboardEvent, index: number): void {
  if (event.altKey && event.key === "ArrowUp") bench.reorder(index, index - 1);
  else if (event.altKey && event.key === "ArrowDown") bench.reorder(index, index + 1);
  else if (event.key === "Delete") void bench.remove(index);
  else return;
  event.preventDefault();
  event.stopPropagation();
}

async function read(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement;
  const chosen = input.files?.[0];
  input.value = "";
  if (!chosen) return;
  try {
    const found = JSON.parse(await chosen.text());
    if (!Array.isArray(found.steps)) throw new Error("no steps");
    await bench.store(found.steps, "Open a recipe");
  } catch {
    useNotices().complain(`'${chosen.name}' is not a recipe: choose a file that was saved here.`);
  }
}
</script>

<template>
  <section aria-label="Recipe">
    <div class="flex items-baseline justify-between">
      <h2 class="font-serif text-lg">Recipe</h2>
      <span class="flex">
        <button class="quiet text-focus" title="Lay these steps over other recordings" @click="emit('copy')">Use on others</button>
        <MenuButton word="More" button-class="quiet text-soft" width="w-48">
          <MenuChoice :disabled="!bench.after" title="What the recipe makes, in a format of your choice" @click="emit('export')"
            >Out as a file</MenuChoice
          >
          <ExportChoices v-if="bench.recording" of="recipe" :id="bench.recording.id" />
          <MenuChoice @click="file?.click()">Open a recipe</MenuChoice>
        </MenuButton>
        <input ref="file" type="file" accept=".json" hidden aria-label="Recipe to open" data-testid="recipe-file" @change="read" />
      </span>
    </div>
    <ol>
      <li
        v-for="(step, i) in bench.steps"
        :key="i"
        class="border-b border-hairline"
        :class="open(i) ? 'bg-sheet -mx-2 px-2' : ''"
        :data-step="step.do"
      >
        <div class="flex items-start gap-1 py-1">
          <button
            class="flex min-w-0 flex-1 gap-2 text-left"
            :aria-expanded="open(i)"
            :title="`${bench.kindOf(step.do)?.help} Alt and arrows move it, Delete removes it.`"
            @click="toggle(i)"
            @keydown="key($event, i)"
          >
            <span class="w-4 shrink-0 text-soft">{{ i + 1 }}</span>
            <span class="min-w-0" :class="compact ? 'flex flex-1 items-baseline gap-2' : ''">
              <span class="block shrink-0 font-serif text-base leading-tight" :class="step.on ? '' : 'text-soft line-through'">{{
                bench.kindOf(step.do)?.name
              }}</span>
              <span v-if="!open(i)" class="block truncate text-xs text-soft" :title="bench.sentences[i]">{{ bench.sentences[i] }}</span>
            </span>
          </button>
          <span v-if="open(i)" class="flex shrink-0 text-xs">
            <button
              class="quiet !px-1"
              :disabled="i === 0"
              :aria-label="`Move step ${i + 1} up`"
              title="Earlier (Alt ↑)"
              @click="bench.reorder(i, i - 1)"
            >
              ↑
            </button>
            <button
              class="quiet !px-1"
              :disabled="i === bench.steps.length - 1"
              :aria-label="`Move step ${i + 1} down`"
              title="Later (Alt ↓)"
              @click="bench.reorder(i, i + 1)"
            >
              ↓
            </button>
            <button
              class="quiet !px-1"
              :title="step.on ? 'Leave this step out for now' : 'Let this step work again'"
              @click="bench.change(i, { on: !step.on }, step.on ? 'Leave out' : 'Let work')"
            >
              {{ step.on ? "Mute" : "Unmute" }}
            </button>
            <button class="quiet !px-1" title="Remove this step (Delete)" @click="bench.remove(i)">Remove</button>
          </span>
        </div>
        <StepControls v-if="open(i)" :duration="duration" @nudge="(id, how, way) => emit('nudge', id, how, way)" />
      </li>
    </ol>
    <MenuButton word="+ Step" button-class="quiet text-focus" align="left" width="w-[18.5rem]" class="mt-1" items-class="columns-2 gap-0">
      <div v-for="group in groups" :key="group.name" class="break-inside-avoid pb-1">
        <p class="px-4 pt-1 text-xs text-soft">{{ group.name }}</p>
        <MenuChoice v-for="kind in group.kinds" :key="kind.id" :title="kind.help" @click="bench.add(kind.id)">{{ kind.name }}</MenuChoice>
      </div>
    </MenuButton>
  </section>
</template>
