<script setup lang="ts">
/** One figure of a moment, typed; what is being typed stays when the rest of the page changes. */
const props = defineProps<{ word: string; value: number; step: number }>();
const emit = defineEmits<{ typed: [value: number] }>();

function change(event: Event): void {
  const value = Number((event.target as HTMLInputElement).value);
  if (Number.isFinite(value) && value >= 0 && value !== props.value) emit("typed", value);
}
</script>

<template>
  <label>
    {{ word }}
    <input
      class="field mt-0.5 w-full !px-1.5 !py-0.5 text-sm text-ink"
      type="number"
      min="0"
      :step="step"
      :value="value"
      @change="change"
    />
  </label>
</template>
