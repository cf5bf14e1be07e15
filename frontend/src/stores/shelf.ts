import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";

import { api, wanted } from "../api/client";
import type { RecordingLine } from "../api/types";
import { useNotices } from "./notices";

/** Everything on the shelf, a light line a sound; what Field looks for does not hide any of it. */
export const useShelf = defineStore("shelf", () => {
  const recordings = shallowRef<RecordingLine[]>([]);
  const tags = shallowRef<string[]>([]);
  const places = shallowRef<string[]>([]);
  const collections = shallowRef<string[]>([]);
  const loaded = ref(false);
  const byId = computed(() => new Map(recordings.value.map((one) => [one.id, one])));
  const byDigest = computed(() => new Map(recordings.value.map((one) => [one.digest, one])));
  let asked = 0;

  async function load(): Promise<void> {
    const number = ++asked;
    try {
      const found = await wanted(api.GET("/api/recordings"));
      if (number !== asked) return;
      recordings.value = found.recordings;
      tags.value = found.tags;
      places.value = found.places;
      collections.value = found.collections;
      loaded.value = true;
    } catch (error) {
      useNotices().complain(error);
    }
  }

  return { recordings, tags, places, collections, loaded, byId, byDigest, load };
});
