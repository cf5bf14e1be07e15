<script setup lang="ts">
/** One action: a recording is taken apart, and its spectrum opened on the Bench. */
import { ref } from "vue";
import { useRouter } from "vue-router";

import { useField } from "../../stores/field";
import { useSpectrum } from "../../stores/spectrum";

const props = defineProps<{ recording: number; word: string }>();
const router = useRouter();
const making = ref(false);

async function make(): Promise<void> {
  making.value = true;
  const id = await useSpectrum().make(props.recording);
  making.value = false;
  if (id === null) return;
  await useField().load();
  await router.push(`/bench/${id}`);
}
</script>

<template>
  <button :disabled="making" title="Partials, strikes and noise, to be played at any pitch and pace" @click="make">
    {{ making ? "Taking it apart" : word }}
  </button>
</template>
