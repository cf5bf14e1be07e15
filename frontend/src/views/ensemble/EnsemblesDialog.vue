<script setup lang="ts">
/** All ensembles, the last changed first, and a new one. */
import { watch } from "vue";
import { useRouter } from "vue-router";

import PetalMark from "../../charts/PetalMark.vue";
import DialogFrame from "../../frame/DialogFrame.vue";
import { useEnsemble } from "../../stores/ensemble";
import { useInstrument } from "../../stores/instrument";
import { useNotices } from "../../stores/notices";
import { ago } from "../../theme/words";

const props = defineProps<{ open: boolean }>();
const emit = defineEmits<{ close: [] }>();
const ensemble = useEnsemble();
const instrument = useInstrument();
const router = useRouter();

watch(
  () => props.open,
  (open) => open && void ensemble.list().catch((error) => useNotices().complain(error)),
);

async function take(id: number | null): Promise<void> {
  if (id === null) return;
  emit("close");
  await router.push(`/ensemble/${id}`);
}

const begin = async () => take(await ensemble.create("Ensemble", instrument.id === null ? [] : [instrument.id]));
</script>

<template>
  <DialogFrame :open="open" title="Ensembles" width="w-[32rem]" @close="emit('close')">
    <template #note>{{ ensemble.lines.length === 1 ? "1 ensemble" : `${ensemble.lines.length} ensembles` }}</template>
    <ul class="mt-3 max-h-[22rem] overflow-y-auto" tabindex="0" aria-label="All ensembles">
      <li v-for="one in ensemble.lines" :key="one.id" class="border-b border-hairline">
        <button
          class="flex w-full items-center gap-2 px-1 py-2 text-left hover:bg-[var(--key-shade)]"
          :aria-current="one.id === ensemble.id"
          :data-ensemble="one.name"
          @click="take(one.id)"
        >
          <PetalMark v-for="(petal, n) in one.players" :key="n" class="shrink-0" :petal="petal" />
          <span class="min-w-0 flex-1 truncate font-serif text-base" :title="one.name">{{ one.name }}</span>
          <span class="shrink-0 text-xs text-soft">{{ ago(one.changed) }}</span>
        </button>
      </li>
    </ul>
    <p v-if="!ensemble.lines.length" class="text-soft">There is no ensemble yet.</p>
    <template #actions>
      <button class="action-main" @click="begin">
        {{ instrument.document ? `New one with ${instrument.document.name}` : "New one" }}
      </button>
    </template>
  </DialogFrame>
</template>
