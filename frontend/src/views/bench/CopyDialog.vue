<script setup lang="ts">
/** Choosing the recordings that this recipe is laid over. */
import { computed, ref, watch } from "vue";

import ShelfList from "../../controls/ShelfList.vue";
import DialogFrame from "../../frame/DialogFrame.vue";
import { useBench } from "../../stores/bench";
import { useShelf } from "../../stores/shelf";

const props = defineProps<{ open: boolean }>();
const emit = defineEmits<{ close: [] }>();
const bench = useBench();
const shelf = useShelf();
const picked = ref<number[]>([]);
const chosen = computed(() => picked.value.flatMap((id) => shelf.byId.get(id) ?? []));

watch(
  () => props.open,
  (open) => open && (picked.value = []),
);

async function copy(): Promise<void> {
  await bench.copyTo(chosen.value);
  emit("close");
}
</script>

<template>
  <DialogFrame :open="open" title="Use this recipe on" width="w-[36rem]" @close="emit('close')">
    <p class="text-soft">
      Each keeps what it had and can undo this. Times stay as they are: a region that does not fit is said on its Bench.
    </p>
    <ShelfList v-model="picked" class="mt-3 h-[30rem]" many :without="bench.recording?.id" />
    <template #actions><button class="action-main" :disabled="!picked.length" @click="copy">Use on {{ picked.length }}</button></template>
  </DialogFrame>
</template>
