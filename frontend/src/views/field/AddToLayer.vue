<script setup lang="ts">
/** Choosing the layer that several sounds are added to. */
import { computed, ref, shallowRef, watch } from "vue";
import { useRouter } from "vue-router";

import { api, wanted } from "../../api/client";
import type { Layer } from "../../api/types";
import PetalMark from "../../charts/PetalMark.vue";
import DialogFrame from "../../frame/DialogFrame.vue";
import { useInstrument } from "../../stores/instrument";
import { useMany } from "../../stores/many";
import { useNotices } from "../../stores/notices";
import { useProject } from "../../stores/project";

const props = defineProps<{ open: boolean; recordings: number[] }>();
const emit = defineEmits<{ close: [] }>();
const instrument = useInstrument();
const many = useMany();
const project = useProject();
const router = useRouter();
const text = ref("");
const chosen = ref<number | null>(null);
const layers = shallowRef<Layer[]>([]);
const lines = computed(() => instrument.lines.filter(({ name }) => name.toLowerCase().includes(text.value.trim().toLowerCase())));
const most = (layer: Layer) => project.catalogue.layer_kinds.find(({ id }) => id === layer.kind)?.most_sounds ?? 1;
const room = (layer: Layer) => most(layer) - layer.sounds.length;

watch(
  () => props.open,
  async (open) => {
    if (!open) return;
    [text.value, chosen.value, layers.value] = ["", null, []];
    await instrument.list().catch((error) => useNotices().complain(error));
    if (instrument.lines.length === 1) await choose(instrument.lines[0]!.id);
  },
);

async function choose(id: number): Promise<void> {
  chosen.value = id;
  const path = { instrument_id: id };
  const found = await wanted(api.GET("/api/instruments/{instrument_id}", { params: { path } })).catch((error) => {
    useNotices().complain(error);
    return null;
  });
  if (chosen.value === id) layers.value = found?.document.layers ?? [];
}

async function add(index: number): Promise<void> {
  const id = chosen.value!;
  emit("close");
  if (!(await many.addTo(id, index, props.recordings))) return;
  if (instrument.id === id) await instrument.open(id);
  await router.push(`/instrument/${id}`);
  instrument.layerIndex = index;
}
</script>

<template>
  <DialogFrame :open="open" :title="`Add ${recordings.length} sounds to a layer`" width="w-[36rem]" @close="emit('close')">
    <div v-if="instrument.lines.length" class="mt-3 grid h-80 grid-cols-2 gap-4">
      <div class="flex min-h-0 flex-col">
        <input v-model="text" type="search" class="field" placeholder="Find an instrument" aria-label="Find an instrument" @keydown.stop />
        <ul class="mt-1 min-h-0 flex-1 overflow-y-auto" aria-label="Instruments">
          <li v-for="one in lines" :key="one.id">
            <button class="item flex items-center gap-2 font-serif" :aria-pressed="one.id === chosen" @click="choose(one.id)">
              <PetalMark :petal="one.layers[0] ?? 'madder'" /><span class="truncate" :class="{ 'font-semibold': one.id === chosen }">{{
                one.name
              }}</span>
            </button>
          </li>
        </ul>
      </div>
      <ul class="min-h-0 overflow-y-auto border-l border-hairline pl-3" aria-label="Layers">
        <li v-if="chosen === null" class="text-soft">Choose an instrument, then its layer.</li>
        <li v-for="(layer, index) in layers" :key="layer.id">
          <button class="item" :disabled="room(layer) < recordings.length" @click="add(index)">
            <span class="block truncate font-serif">{{ layer.name }}</span>
            <span class="text-soft">{{
              room(layer) < recordings.length
                ? `${layer.kind}: holds ${most(layer)} ${most(layer) === 1 ? "sound" : "sounds"} at most`
                : `${layer.kind}, ${layer.sounds.length} ${layer.sounds.length === 1 ? "sound" : "sounds"} now`
            }}</span>
          </button>
        </li>
      </ul>
    </div>
    <p v-else class="mt-3 text-soft">There is no instrument yet: grow one of them instead.</p>
  </DialogFrame>
</template>
