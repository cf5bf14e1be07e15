<script setup lang="ts">
/** Choosing the recordings that this recipe is laid over. */
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/vue";
import { computed, ref, watch } from "vue";

import { useBench } from "../../stores/bench";
import { useField } from "../../stores/field";

const props = defineProps<{ open: boolean }>();
const emit = defineEmits<{ close: [] }>();
const bench = useBench();
const field = useField();
const picked = ref<number[]>([]);
const others = computed(() => field.recordings.filter(({ id }) => id !== bench.recording?.id));

watch(() => props.open, (open) => open && (picked.value = []));

async function copy(): Promise<void> {
  await bench.copyTo(others.value.filter(({ id }) => picked.value.includes(id)));
  emit("close");
}
</script>

<template>
  <Dialog :open="open" class="relative z-40" @close="emit('close')">
    <div class="fixed inset-0 bg-black/30" aria-hidden="true" />
    <div class="fixed inset-0 grid place-items-center p-6">
      <DialogPanel class="floating flex max-h-full w-[28rem] max-w-full flex-col p-6">
        <DialogTitle class="font-serif text-lg">Use this recipe on</DialogTitle>
        <p class="text-soft">Each keeps what it had and can undo this. Times stay as they are: a region that does not fit is said on its Bench.</p>
        <ul class="mt-3 min-h-0 flex-1 overflow-auto border-y border-hairline py-1">
          <li v-for="one in others" :key="one.id">
            <label class="flex items-center gap-3 py-1"><input v-model="picked" type="checkbox" :value="one.id" /><span class="font-serif text-base">{{ one.name }}</span></label>
          </li>
          <li v-if="!others.length" class="py-2 text-soft">There is nothing else on the shelf.</li>
        </ul>
        <div class="mt-4 flex justify-end gap-2">
          <button class="action" @click="emit('close')">Cancel</button>
          <button class="action-main" :disabled="!picked.length" @click="copy">Use on {{ picked.length }}</button>
        </div>
      </DialogPanel>
    </div>
  </Dialog>
</template>
