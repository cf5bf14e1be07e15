<script setup lang="ts">
/** A name that is changed where it stands. */
import { ref } from "vue";

import TypedInPlace from "./TypedInPlace.vue";

const props = defineProps<{ name: string; what: string; wrap?: boolean }>();
const emit = defineEmits<{ rename: [name: string] }>();

const entry = ref<InstanceType<typeof TypedInPlace>>();
defineExpose({ begin: () => void entry.value?.begin() });

function typed(text: string): void {
  if (text && text !== props.name) emit("rename", text);
}
</script>

<template>
  <TypedInPlace
    ref="entry"
    :shown="name"
    :label="`Name of the ${what}`"
    :help="`${name}: rename the ${what} (F2)`"
    entry-class="min-w-0 flex-1"
    :shown-class="wrap ? 'min-w-0 line-clamp-2' : 'min-w-0 truncate'"
    @typed="typed"
  />
</template>
