<script setup lang="ts">
/** Field where nothing is shown: nothing matches, or nothing is there yet. */
import { computed } from "vue";

import { NO_FILTERS, useField } from "../../stores/field";
import { useImports } from "../../stores/imports";

defineEmits<{ files: [] }>();
const field = useField();
const imports = useImports();
const wanted = computed(() => (field.query ? `“${field.query}”` : "these filters"));

function showAll(): void {
  field.query = "";
  field.wantedOnly = { ...NO_FILTERS };
  void field.find();
}
</script>

<template>
  <div class="mb-auto max-w-lg pb-24 text-base">
    <template v-if="field.filtered">
      <p>Nothing on the shelf matches {{ wanted }}.</p>
      <button class="action mt-3" @click="showAll">Show all recordings</button>
    </template>
    <p v-else-if="imports.waiting.length" class="text-soft">Each sound stands here as soon as it has been listened to.</p>
    <template v-else>
      <p class="font-serif text-lg">The shelf is empty.</p>
      <p class="mt-2 text-soft">
        Drop sound files or a folder anywhere here. Each is measured and shown with its waveform, root note and loudness; your files stay as
        they are.
      </p>
      <button class="action-main mt-4" @click="$emit('files')">Choose files</button>
    </template>
  </div>
</template>
