import { useLocalStorage } from "@vueuse/core";
import { defineStore } from "pinia";
import { computed } from "vue";

import { useTimeline } from "./timeline";
import { useVariations } from "./variations";

export type Way = "picture" | "game";

/** Which half of Deliver was left last, and where: that is come back to. */
export const useDeliver = defineStore("deliver", () => {
  const timeline = useTimeline();
  const variations = useVariations();
  const way = useLocalStorage<Way>("bloom-deliver", "game");

  function addressOf(of: Way): string {
    const id = of === "picture" ? timeline.id : variations.id;
    return `/deliver${of === "picture" ? "/picture" : ""}${id === null ? "" : `/${id}`}`;
  }
  const left = computed(() => addressOf(way.value));
  return { way, addressOf, left };
});
