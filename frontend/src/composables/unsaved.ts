/** Whether anything done here has yet to reach the server. */
import { useEventListener } from "@vueuse/core";
import { computed, ref } from "vue";

import type { ApiError } from "../api/client";

const AGAIN_MS = 2_000;
const lines = ref(0);

interface Outage {
  sentence: string;
  /** Take back what could not be stored. */
  giveUp: () => void;
}

/** Why what was done here cannot be stored at the moment. */
export const outage = ref<Outage | null>(null);

/** Wait until a change is to be sent again; gives whether it is, and was not given up. */
export function again(error: ApiError): Promise<boolean> {
  return new Promise((resolve) => {
    const end = (goOn: boolean): void => {
      clearTimeout(timer);
      resolve(goOn);
    };
    const timer = setTimeout(end, AGAIN_MS, true);
    outage.value = { sentence: error.message, giveUp: () => ((outage.value = null), end(false)) };
  });
}

export const unsaved = computed(() => lines.value > 0);

/** Count some work as not saved until it has ended. */
export async function untilSaved(work: Promise<void>): Promise<void> {
  lines.value += 1;
  try {
    await work;
  } finally {
    lines.value -= 1;
  }
}

/** Let the browser ask before a page is left that has not saved everything. */
export function useUnsavedGuard(): void {
  useEventListener(window, "beforeunload", (event) => {
    if (unsaved.value) event.preventDefault();
  });
}
