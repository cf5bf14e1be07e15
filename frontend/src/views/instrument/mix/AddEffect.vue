<script setup lang="ts">
/** A new effect at the end of a chain: one of each kind, body and room at once, or a chain that was kept. */
import { MenuItem } from "@headlessui/vue";
import { computed, ref } from "vue";

import { api, wanted } from "../../../api/client";
import type { KeptChain } from "../../../api/types";
import MenuButton from "../../../controls/MenuButton.vue";
import { openKept } from "../../../composables/keptFile";
import MenuChoice from "../../../controls/MenuChoice.vue";
import { useInstrument } from "../../../stores/instrument";
import { useMix } from "../../../stores/mix";
import { useNotices } from "../../../stores/notices";
import { useProject } from "../../../stores/project";

const props = defineProps<{ chain: string; label: string; word?: string; buttonClass?: string }>();
const instrument = useInstrument();
const mix = useMix();
const project = useProject();
const kept = ref<KeptChain[]>([]);
const groups = computed(() => {
  const found = new Map<string, typeof project.catalogue.effect_kinds>();
  for (const kind of project.catalogue.effect_kinds) found.set(kind.group, [...(found.get(kind.group) ?? []), kind]);
  return [...found];
});

async function look(): Promise<void> {
  const found = await wanted(api.GET("/api/chains")).catch(() => ({ chains: [] }));
  kept.value = found.chains;
}

async function forget(one: KeptChain): Promise<void> {
  try {
    await wanted(api.DELETE("/api/chains/{chain_id}", { params: { path: { chain_id: one.id } } }));
    useNotices().say(`'${one.name}' is no longer kept.`);
  } catch (error) {
    useNotices().complain(error);
  }
}
</script>

<template>
  <MenuButton
    :word="word ?? '+'"
    :label="label"
    :button-class="buttonClass ?? 'quiet text-focus'"
    align="left"
    width="w-[26rem]"
    @open="look"
  >
    <template v-for="[group, kinds] in groups" :key="group">
      <p class="px-4 pt-1.5 text-xs text-soft">{{ group }}</p>
      <MenuChoice v-for="kind in kinds" :key="kind.id" class="!py-0.5" @click="mix.add(props.chain, kind.id)"
        ><span class="font-medium">{{ kind.name }}</span> <span class="text-soft">{{ kind.help }}</span></MenuChoice
      >
      <MenuChoice v-if="group === 'Space'" class="!py-0.5" @click="instrument.mix({ do: 'body then room', chain: props.chain })"
        ><span class="font-medium">Body, then room</span>
        <span class="text-soft">A short one and a long one: what close recordings lack.</span></MenuChoice
      >
    </template>
    <template v-if="kept.length">
      <p class="mt-1 border-t border-hairline px-4 pt-1.5 text-xs text-soft">kept from instruments</p>
      <MenuItem v-for="one in kept" :key="one.id" v-slot="{ active }">
        <div class="flex" :class="{ 'bg-[var(--key-shade)]': active }">
          <button class="item !py-0.5" @click="instrument.mix({ do: 'use chain', chain: props.chain, kept: one.id })">
            <span class="font-serif italic">{{ one.name }}</span>
            <span class="text-soft"> {{ one.kinds.length }} {{ one.kinds.length === 1 ? "effect" : "effects" }}</span>
          </button>
          <a class="quiet text-xs text-soft" :href="`/api/exports/chain/${one.id}/chain`" download @click.stop>Save</a>
          <button class="quiet text-xs text-soft" @click.stop="forget(one)">Forget</button>
        </div>
      </MenuItem>
    </template>
    <MenuChoice class="mt-1 border-t border-hairline" @click="openKept">Open a kept chain or movement</MenuChoice>
  </MenuButton>
</template>
