/** The pitch of what is in view, asked for again once the view has come to rest. */
import { useDebounceFn } from "@vueuse/core";
import { type Ref, shallowRef, watch } from "vue";

import { api, wanted } from "../../api/client";
import type { Pitch } from "../../api/types";
import type { Shown } from "./picture";

const REST_MS = 220;
const MOMENTS = 1_000;

export function usePitchInView(shown: Ref<Shown | null>) {
  const pitch = shallowRef<Pitch | null>(null);
  let asked = 0;

  async function ask(): Promise<void> {
    const now = shown.value;
    if (!now) return;
    const mine = ++asked;
    const query = { start: now.from / now.rate, end: now.to / now.rate, most: MOMENTS };
    const path = { digest: now.key };
    const found = await wanted(api.GET("/api/sounds/{digest}/pitch", { params: { path, query } })).catch(() => null);
    if (mine === asked) pitch.value = found;
  }

  const askAtRest = useDebounceFn(ask, () => (pitch.value ? REST_MS : 0));
  watch(
    () => shown.value?.key,
    () => (pitch.value = null),
  );
  watch(shown, () => void askAtRest());
  return pitch;
}
