<script setup lang="ts" generic="Choice extends { id: string; name: string; group?: string; help?: string }">
/** A long list in groups, searched by typing: Enter takes the first that is found. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/vue";
import { computed, ref } from "vue";

type Group = { id: string; name: string; petal?: string | null; choices: Choice[] };

/** `word` is what is chosen now, or what to do. */
const props = defineProps<{ word: string; label: string; search: string; placeholder: string; groups: Group[] }>();
const emit = defineEmits<{ choose: [group: string, choice: string] }>();
const wanted = ref("");

const shown = computed(() => {
  const words = wanted.value.toLowerCase().split(/\s+/).filter(Boolean);
  return props.groups
    .map((group) => ({
      ...group,
      choices: group.choices.filter((one) => {
        const text = `${group.name} ${one.group ?? ""} ${one.name}`.toLowerCase();
        return words.every((word) => text.includes(word));
      }),
    }))
    .filter(({ choices }) => choices.length);
});

function choose(group: string, choice: string, close: () => void): void {
  emit("choose", group, choice);
  wanted.value = "";
  close();
}

function first(close: () => void): void {
  const group = shown.value[0];
  if (wanted.value && group) choose(group.id, group.choices[0]!.id, close);
}
</script>

<template>
  <Popover v-slot="{ close }" class="relative">
    <PopoverButton class="field w-full truncate !py-0.5 text-left" :aria-label="`${label}: ${word}`">{{ word }}</PopoverButton>
    <PopoverPanel focus class="floating absolute right-0 z-30 mt-1 flex max-h-72 w-72 flex-col p-2">
      <input
        v-model="wanted"
        type="search"
        class="field w-full !py-1"
        :placeholder="placeholder"
        :aria-label="search"
        @keydown.enter.prevent="first(close)"
      />
      <div class="mt-1 min-h-0 flex-1 overflow-y-auto">
        <section v-for="group in shown" :key="group.id" :aria-label="group.name">
          <h4
            class="petal-words sticky top-0 truncate bg-sheet px-1 pt-1 text-xs font-semibold"
            :style="{ '--petal': group.petal ? `var(--${group.petal})` : 'var(--ink)' }"
          >
            {{ group.name }}
          </h4>
          <button
            v-for="one in group.choices"
            :key="one.id"
            class="item !px-2 !py-0.5 hover:bg-[var(--key-shade)]"
            :title="one.help"
            :data-target="group.id ? `${group.id}.${one.id}` : one.id"
            @click="choose(group.id, one.id, close)"
          >
            <span v-if="one.group" class="text-soft">{{ one.group }}</span> {{ one.name }}
          </button>
        </section>
        <p v-if="!shown.length" class="p-2 text-soft">Nothing here has these words.</p>
      </div>
    </PopoverPanel>
  </Popover>
</template>
