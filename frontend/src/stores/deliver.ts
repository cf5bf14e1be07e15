import { useLocalStorage } from "@vueuse/core";
import { defineStore } from "pinia";
import { computed } from "vue";

import { useSamples } from "./samples";
import { useTimeline } from "./timeline";
import { useVariations } from "./variations";

export type Way = "picture" | "game" | "samples";
const PLACES: Record<Way, string> = { picture: "/deliver/picture", game: "/deliver", samples: "/deliver/samples" };

/** Which part of Deliver was left last, and where: that is come back to. */
export const useDeliver = defineStore("deliver", () => {
  const stores = { picture: useTimeline(), game: useVariations(), samples: useSamples() };
  const way = useLocalStorage<Way>("bloom-deliver", "game");

  function addressOf(of: Way): string {
    const { id } = stores[of];
    return `${PLACES[of]}${id === null ? "" : `/${id}`}`;
  }
  const left = computed(() => addressOf(way.value));
  return { way, addressOf, left };
});
