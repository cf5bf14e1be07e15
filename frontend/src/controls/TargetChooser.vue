<script setup lang="ts">
/** Whatever routes can move, in one list by layer that is searched by typing. */
import { Popover, PopoverButton, PopoverPanel } from "@headlessui/vue";
import { computed, ref } from "vue";

import { useInstrument } from "../stores/instrument";
import { useMovement } from "../stores/movement";

/** One owner's targets only, or all; without one of them. */
const props = defineProps<{ word: string; label: string; of?: string; without?: string }>();
const emit = defineEmits<{ choose: [owner: string, parameter: string] }>();
const instrument = useInstrument();
const movement = useMovement();
const wanted = ref("");

const all = computed(() => {
  const owners = [...(instrument.document?.layers ?? []), ...movement.modulators].map(({ id, name }) => ({ id, name }));
  const layers = new Set(owners.map(({ id }) => id));
  for (const id of instrument.owners.keys()) if (!layers.has(id)) owners.push({ id, name: movement.kindOf(id)?.name || "Instrument" });
  return owners
    .filter(({ id }) => (!props.of || id === props.of) && movement.kindOf(id))
    .map(({ id, name }) => ({
      id,
      name,
      petal: movement.kindOf(id)!.petal,
      targets: movement.kindOf(id)!.parameters.map((p) => ({ id: p.id, name: p.name, group: p.group.toLowerCase() })),
    }));
});
const shown = computed(() => {
  const words = wanted.value.toLowerCase().split(/\s+/).filter(Boolean);
  return all.value
    .map((owner) => ({
      ...owner,
      targets: owner.targets.filter((one) => {
        const text = `${owner.name} ${one.group} ${one.name}`.toLowerCase();
        return `${owner.id}.${one.id}` !== props.without && words.every((word) => text.includes(word));
      }),
    }))
    .filter(({ targets }) => targets.length);
});

function choose(owner: string, parameter: string, close: () => void): void {
  emit("choose", owner, parameter);
  wanted.value = "";
  close();
}

function first(close: () => void): void {
  const owner = shown.value[0];
  if (wanted.value && owner) choose(owner.id, owner.targets[0]!.id, close);
}
</script>

<template>
  <Popover v-slot="{ close }" class="relative">
    <PopoverButton class="field w-full !py-0.5 text-left" :aria-label="`${word}: ${label}`">{{ word }}</PopoverButton>
    <PopoverPanel focus class="floating absolute right-0 z-30 mt-1 flex max-h-72 w-72 flex-col p-2">
      <input
        v-model="wanted"
        type="search"
        class="field w-full !py-1"
        placeholder="cutoff, or ice position"
        aria-label="Search the controls"
        @keydown.enter.prevent="first(close)"
      />
      <div class="mt-1 min-h-0 flex-1 overflow-y-auto">
        <section v-for="owner in shown" :key="owner.id" :aria-label="owner.name">
          <h4
            class="petal-words sticky top-0 truncate bg-sheet px-1 pt-1 text-xs font-semibold"
            :style="{ '--petal': owner.petal ? `var(--${owner.petal})` : 'var(--ink)' }"
          >
            {{ owner.name }}
          </h4>
          <button
            v-for="one in owner.targets"
            :key="one.id"
            class="item !px-2 !py-0.5 hover:bg-[var(--key-shade)]"
            :data-target="`${owner.id}.${one.id}`"
            @click="choose(owner.id, one.id, close)"
          >
            <span class="text-soft">{{ one.group }}</span> {{ one.name }}
          </button>
        </section>
        <p v-if="!shown.length" class="p-2 text-soft">Nothing that can be moved has these words.</p>
      </div>
    </PopoverPanel>
  </Popover>
</template>
