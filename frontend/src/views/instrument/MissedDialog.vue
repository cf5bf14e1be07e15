<script setup lang="ts">
/** Routes of a movement that found nothing to move here: each is laid to what comes nearest, to another control, or left out. */
import { computed, ref, watch } from "vue";

import { api, wanted } from "../../api/client";
import type { KeptMovement, MissedRoute } from "../../api/types";
import TargetChooser from "../../controls/TargetChooser.vue";
import DialogFrame from "../../frame/DialogFrame.vue";
import { useInstrument } from "../../stores/instrument";
import { useNotices } from "../../stores/notices";

/** A movement that was dropped, and the modulator that it is here. */
const props = defineProps<{ movement: KeptMovement | null; modulator: string }>();
const emit = defineEmits<{ close: [] }>();
const instrument = useInstrument();
const missed = ref<MissedRoute[]>([]);
const find = computed(() => (missed.value.length === 1 ? "one of its routes finds" : `${missed.value.length} of its routes find`));

watch(
  () => props.movement,
  async (movement) => {
    missed.value = [];
    if (!movement || instrument.id === null) return;
    try {
      const params = { path: { instrument_id: instrument.id }, query: { movement: movement.id, modulator: props.modulator } };
      missed.value = (await wanted(api.GET("/api/instruments/{instrument_id}/movement/missed", { params }))).missed;
    } catch (error) {
      useNotices().complain(error);
    }
    if (!missed.value.length) emit("close");
  },
);

async function adopt(one: MissedRoute, target: string, parameter: string): Promise<void> {
  const { movement, modulator } = props;
  if (!movement) return;
  if (!(await instrument.wire({ do: "adopt", movement: movement.id, which: one.which, modulator, target, parameter }))) return;
  missed.value = missed.value.filter((other) => other !== one);
  if (!missed.value.length) emit("close");
}
</script>

<template>
  <DialogFrame :open="movement !== null && missed.length > 0" title="What should it move here?" width="w-[36rem]" @close="emit('close')">
    <p class="text-soft">“{{ movement?.name }}” came in, but {{ find }} no control of that name in this instrument.</p>
    <ul class="mt-3 min-h-0 overflow-y-auto">
      <li v-for="one in missed" :key="one.which" class="flex flex-wrap items-center gap-2 border-t border-hairline py-2">
        <span class="w-36 font-serif text-base">{{ one.name }}</span>
        <button
          v-for="offer in one.offers"
          :key="offer.name"
          class="action !py-0.5"
          title="What comes nearest to it here"
          @click="adopt(one, offer.owner, offer.parameter)"
        >
          {{ offer.name }}
        </button>
        <TargetChooser
          class="w-36"
          word="another control"
          :label="`Another control for ${one.name}`"
          @choose="(o, p) => adopt(one, o, p)"
        />
      </li>
    </ul>
    <template #actions><button class="action" @click="emit('close')">Leave them out</button></template>
  </DialogFrame>
</template>
