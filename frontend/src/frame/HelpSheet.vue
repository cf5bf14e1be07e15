<script setup lang="ts">
/** Keys and gestures, as they are listened to. */
import DialogFrame from "./DialogFrame.vue";
import { useHandbook } from "../stores/handbook";
import { SHEET } from "./shortcuts";

const book = useHandbook();
defineProps<{ open: boolean }>();
const emit = defineEmits<{ close: [] }>();
</script>

<template>
  <DialogFrame :open="open" title="Keys and gestures" width="w-[40rem]" @close="emit('close')">
    <template #note>
      <button class="quiet" @click="book.show(String($route.name ?? ''))">the handbook</button>
    </template>
    <div class="mt-2 min-h-0 overflow-y-auto" tabindex="0">
      <section v-for="group in SHEET" :key="group.name" class="mt-2 mb-4">
        <h3 class="heading mb-1.5">{{ group.name }}</h3>
        <dl class="grid grid-cols-[13rem_1fr] gap-y-1">
          <template v-for="{ shown, does } in group.rows" :key="shown">
            <dt class="font-medium">{{ shown }}</dt>
            <dd class="text-soft">{{ does }}</dd>
          </template>
        </dl>
      </section>
    </div>
  </DialogFrame>
</template>
