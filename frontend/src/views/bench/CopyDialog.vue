<script setup lang="ts">
/** Choosing the recordings that this recipe is laid over. */
import DialogFrame from "../../frame/DialogFrame.vue";
import { computed, ref, watch } from "vue";

import { useBench } from "../../stores/bench";
import { useShelf } from "../../stores/shelf";

const props = defineProps<{ open: boolean }>();
const emit = defineEmits<{ close: [] }>();
const bench = useBench();
const shelf = useShelf();
const picked = ref<number[]>([]);
const others = computed(() => shelf.recordings.filter(({ id }) => id !== bench.recording?.id));

watch(
  () => props.open,
  (open) => open && (picked.value = []),
);

async function copy(): Promise<void> {
  await bench.copyTo(others.value.filter(({ id }) => picked.value.includes(id)));
  emit("close");
}
</script>

<template>
  <DialogFrame :open="open" title="Use this recipe on" width="w-[28rem]" @close="emit('close')">
    <p class="text-soft">
      Each keeps what it had and can undo this. Times stay as they are: a region that does not fit is said on its Bench.
    </p>
    <ul class="mt-3 min-h-0 flex-1 overflow-auto border-y border-hairline py-1">
      <li v-for="one in others" :key="one.id">
        <label class="flex items-center gap-3 py-1"
          ><input v-model="picked" type="checkbox" :value="one.id" /><span class="font-serif text-base">{{ one.name }}</span></label
        >
      </li>
      <li v-if="!others.length" class="py-2 text-soft">There is nothing else on the shelf.</li>
    </ul>
    <template #actions
      ><button class="action-main" :disabled="!picked.length" @click="copy">Use on {{ picked.length }}</button></template
    >
  </DialogFrame>
</template>
