<script setup lang="ts">
/** A new modulator: one of each kind, or a movement kept from an instrument. */
import { MenuItem } from "@headlessui/vue";
import { ref } from "vue";

import MenuButton from "../../controls/MenuButton.vue";
import { openKept } from "../../composables/keptFile";
import MenuChoice from "../../controls/MenuChoice.vue";
import { api, wanted } from "../../api/client";
import type { KeptMovement } from "../../api/types";
import MissedDialog from "./MissedDialog.vue";
import { useInstrument } from "../../stores/instrument";
import { useMovement } from "../../stores/movement";
import { useNotices } from "../../stores/notices";
import { useProject } from "../../stores/project";

const instrument = useInstrument();
const movement = useMovement();
const project = useProject();
const kept = ref<KeptMovement[]>([]);
/** What was dropped last, as long as it may miss some of what it moved. */
const dropped = ref<{ movement: KeptMovement; modulator: string } | null>(null);

async function look(): Promise<void> {
  const found = await wanted(api.GET("/api/movements")).catch(() => ({ movements: [] }));
  kept.value = found.movements;
}

function showNewest(): void {
  const made = movement.modulators.at(-1);
  if (made) movement.show(made.id);
}

async function add(kind: string): Promise<void> {
  if (await instrument.wire({ do: "add modulator", kind })) showNewest();
}

async function drop(one: KeptMovement): Promise<void> {
  if (!(await instrument.wire({ do: "drop", movement: one.id }))) return;
  showNewest();
  dropped.value = { movement: one, modulator: movement.modulators.at(-1)!.id };
}

async function forget(one: KeptMovement): Promise<void> {
  await wanted(api.DELETE("/api/movements/{movement_id}", { params: { path: { movement_id: one.id } } })).catch((error) =>
    useNotices().complain(error),
  );
  useNotices().say(`'${one.name}' is no longer kept.`);
}
</script>

<template>
  <MenuButton word="+ Modulator" button-class="quiet text-focus" align="left" width="w-96" @open="look">
    <MenuChoice v-for="kind in project.catalogue.modulator_kinds" :key="kind.id" @click="add(kind.id)" class="!py-1"
      ><span class="font-medium">{{ kind.name }}</span> <span class="text-soft">{{ kind.help }}</span></MenuChoice
    >
    <template v-if="kept.length">
      <p class="mt-1 border-t border-hairline px-4 pt-1.5 text-xs text-soft">kept from instruments</p>
      <MenuItem v-for="one in kept" :key="one.id" v-slot="{ active }">
        <div class="flex" :class="{ 'bg-[var(--key-shade)]': active }">
          <button class="item !py-1" @click="drop(one)">
            <span class="font-serif italic">{{ one.name }}</span>
            <span class="text-soft">with {{ one.routes }} {{ one.routes === 1 ? "route" : "routes" }}</span>
          </button>
          <a class="quiet text-xs text-soft" :href="`/api/exports/movement/${one.id}/movement`" download @click.stop>Save</a>
          <button class="quiet text-xs text-soft" @click.stop="forget(one)">Forget</button>
        </div>
      </MenuItem>
    </template>
    <MenuChoice class="mt-1 border-t border-hairline" @click="openKept">Open a kept movement or chain</MenuChoice>
  </MenuButton>
  <MissedDialog :movement="dropped?.movement ?? null" :modulator="dropped?.modulator ?? ''" @close="dropped = null" />
</template>
