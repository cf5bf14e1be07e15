<script setup lang="ts">
/** What is on the bench: a recording, a wavetable or a spectrum. */
import { computed, onMounted } from "vue";
import { useRoute } from "vue-router";

import { useShelf } from "../../stores/shelf";
import BenchView from "./BenchView.vue";
import SpectrumView from "./SpectrumView.vue";
import TableView from "./TableView.vue";

const route = useRoute();
const shelf = useShelf();
const id = computed(() => Number(route.params.id) || null);
const kind = computed(() => shelf.byId.get(id.value ?? -1)?.kind);
onMounted(() => void (shelf.loaded || shelf.load()));
</script>

<template>
  <TableView v-if="kind === 'wavetable' && id" :id="id" :key="id" />
  <SpectrumView v-else-if="kind === 'spectrum' && id" :id="id" :key="id" />
  <BenchView v-else-if="shelf.loaded" />
</template>
