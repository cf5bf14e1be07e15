<script setup lang="ts">
/** What came of the files that were added; it stands until it is dismissed. */
import { computed } from "vue";

import { useField } from "../../stores/field";
import { useImports } from "../../stores/imports";

defineEmits<{ folder: [] }>();
const imports = useImports();
const field = useField();
const told = computed(() => {
  const parts = [`${imports.arrived.length} of ${imports.lines.length} in`];
  if (imports.known.length) parts.push(`${imports.known.length} known already`);
  if (imports.refused.length) parts.push(`${imports.refused.length} refused`);
  if (imports.waiting.length) parts.push(`${imports.waiting.length} on the way`);
  return parts.join(", ");
});
const remarked = computed(() => [...imports.refused, ...imports.known]);
</script>

<template>
  <section v-if="imports.shown" class="mt-2 border border-hairline bg-sheet px-3 py-2" aria-label="Report of the import" role="status">
    <div class="flex items-center gap-3">
      <h2 class="flex-1 font-medium">{{ told }}</h2>
      <button v-if="imports.refused.length" class="quiet" @click="field.add(imports.again())">Try again</button>
      <button v-if="imports.refused.length" class="quiet" @click="$emit('folder')">Open the folder again</button>
      <button class="quiet text-soft" @click="imports.dismiss()">Dismiss</button>
    </div>
    <ul v-if="remarked.length" class="mt-1 max-h-28 overflow-y-auto" tabindex="0" aria-label="Files to look at">
      <li v-for="line in remarked" :key="line.key" class="flex gap-3 py-0.5">
        <span class="w-48 shrink-0 truncate" :title="line.file.name">{{ line.file.name }}</span>
        <span class="min-w-0 flex-1" :class="line.state === 'refused' ? '' : 'text-soft'">{{ line.why }}</span>
        <button v-if="line.id !== null" class="quiet -my-1 text-focus" @click="field.chosenId = line.id">Show</button>
      </li>
    </ul>
  </section>
</template>
