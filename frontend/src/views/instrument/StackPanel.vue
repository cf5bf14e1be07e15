<script setup lang="ts">
/** How many voices a note stacks, and what sets each of them apart. */
import { number, type Settings } from "../../api/types";
import { computed, ref, watch } from "vue";

import Rule from "../../controls/Rule.vue";
import Segments from "../../controls/Segments.vue";
import { useInstrument } from "../../stores/instrument";
import { useProject } from "../../stores/project";

const instrument = useInstrument();
const project = useProject();
const member = ref(0);

const stack = computed(() => instrument.document?.stack ?? []);
const sizes = computed(() => Array.from({ length: project.catalogue.most_members }, (_, i) => ({ value: i + 1, word: String(i + 1) })));
const members = computed(() => stack.value.map((_, i) => ({ value: i, word: String(i + 1) })));
const fresh = computed(() => Object.fromEntries(project.catalogue.members.map((p) => [p.id, p.default])) as Settings);
watch(
  () => stack.value.length,
  (size) => (member.value = Math.min(member.value, size - 1)),
);

const voices = computed(() => number(instrument.document?.settings ?? {}, "voices"));
const notes = computed(() => Math.max(1, Math.floor(voices.value / stack.value.length)));

function resize(size: number): void {
  const value = Array.from({ length: size }, (_, i) => stack.value[i] ?? fresh.value);
  void instrument.edit("stack", [{ op: "replace", path: "/stack", value }]);
}

const dragged = ref<Settings>({});
function move(id: string, value: number): void {
  dragged.value = { [id]: value };
}

function rest(id: string, value: number, name: string): void {
  dragged.value = {};
  void instrument.edit(`${name} of a member`, [{ op: "replace", path: `/stack/${member.value}/${id}`, value }]);
}
</script>

<template>
  <div class="mb-1">
    <div class="flex items-baseline gap-2">
      <span class="text-soft">voices a note</span
      ><Segments tight :model-value="stack.length" label="Voices a note" :options="sizes" @update:model-value="resize" />
    </div>
    <p class="text-soft">{{ voices }} voices leave {{ notes }} {{ notes === 1 ? "note" : "notes" }} at once.</p>
    <template v-if="stack.length > 1">
      <div class="mt-1 flex items-baseline gap-2">
        <span class="text-soft">member</span><Segments v-model="member" tight label="Member" :options="members" />
      </div>
      <div class="mt-1 grid grid-cols-2 gap-x-5 gap-y-1">
        <Rule
          v-for="p in project.catalogue.members"
          :key="p.id"
          :parameter="p"
          :value="Number(dragged[p.id] ?? number(stack[member]!, p.id))"
          @move="move(p.id, $event)"
          @rest="rest(p.id, $event, p.name)"
        />
      </div>
    </template>
  </div>
</template>
