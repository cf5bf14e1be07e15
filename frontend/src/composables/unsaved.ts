/** Whether anything done here has yet to reach the server. */
import { useEventListener } from "@vueuse/core";
import { computed, ref } from "vue";

const lines = ref(0);

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
