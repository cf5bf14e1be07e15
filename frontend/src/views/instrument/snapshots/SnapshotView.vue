<script setup lang="ts">
/** Snapshots: the map between them, and what it moves. */
import { onBeforeUnmount, onMounted } from "vue";

import { useSnapshots } from "../../../stores/snapshots";
import BlendList from "./BlendList.vue";
import SnapshotMap from "./SnapshotMap.vue";

const snapshots = useSnapshots();
onMounted(() => snapshots.users++);
onBeforeUnmount(() => snapshots.users--);
</script>

<template>
  <div v-if="snapshots.all.length" class="flex min-h-0 flex-1 flex-wrap gap-x-6 gap-y-3 overflow-y-auto">
    <SnapshotMap class="h-full max-w-full shrink-0" />
    <BlendList class="min-w-[9.5rem] flex-1" />
  </div>
  <div v-else class="mt-[12vh] max-w-md text-base">
    <p>A snapshot keeps how everything is set, under a name.</p>
    <p class="mt-2 text-soft">
      Take one, set the instrument otherwise, take another: then go from one to the other on the beat, or put them on a map and stand
      anywhere between.
    </p>
    <button class="action-main mt-4 text-sm" @click="snapshots.take()">Take a snapshot</button>
  </div>
</template>
