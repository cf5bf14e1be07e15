import { refDebounced } from "@vueuse/core";
import { computed, shallowRef, watch } from "vue";

import { api, wanted } from "../../../api/client";
import type { Effect, EffectPicture } from "../../../api/types";

const MOST_KEPT = 200;
const known = new Map<string, EffectPicture>();

/** What an effect does, as the server measured it; asked for again when the effect has changed. */
export function useEffectPicture(effect: () => Effect) {
  const picture = shallowRef<EffectPicture | null>(null);
  const text = computed(() => JSON.stringify({ ...effect(), id: "e1", listens_to: null }));
  const settled = refDebounced(text, 120);
  let asked = 0;

  watch(
    settled,
    async (now) => {
      const number = ++asked;
      const kept = known.get(now);
      const found = kept ?? (await wanted(api.POST("/api/effects/picture", { body: { effect: JSON.parse(now) } })).catch(() => null));
      if (!found) return;
      if (!kept) {
        if (known.size >= MOST_KEPT) known.delete(known.keys().next().value!);
        known.set(now, found);
      }
      if (number === asked) picture.value = found;
    },
    { immediate: true },
  );
  return picture;
}
