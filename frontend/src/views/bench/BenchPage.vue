<script setup lang="ts">
/** What is on the bench: a recording, a wavetable or a spectrum. */
import { computed, onMounted } from "vue";
import { useRoute } from "vue-router";

import { useField } from "../../stores/field";
import BenchView from "./BenchView.vue";
import SpectrumView from "./SpectrumView.vue";
import TableView from "./TableView.vue";

const route = useRoute();
const field = useField();
const id = computed(() => Number(route.params.id) || null);
const kind = computed(() => field.recordings.find((one) => one.id === id.value)?.kind);
onMounted(() => void (field.loaded || field.load()));
</script>

<template>
  <TableView v-if="kind === 'wavetable' && id" :id="id" :key="id" />
  <SpectrumView v-else-if="kind === 'spectrum' && id" :id="id" :key="id" />
  <BenchView v-else-if="field.loaded" />
</template>
