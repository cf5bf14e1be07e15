import { defineStore } from "pinia";
import { ref } from "vue";

/** Pages by the names of the views that they are about. */
const ABOUT: Record<string, string> = {
  field: "field",
  bench: "bench",
  instrument: "instrument",
  ensemble: "together",
  takes: "takes",
  deliver: "deliver",
  picture: "deliver",
  samples: "deliver",
  swap: "instrument",
};

/** The handbook, and the sheet of keys beside it: which is open, and where. */
export const useHandbook = defineStore("handbook", () => {
  const open = ref(false);
  const keysOpen = ref(false);
  const page = ref("start");

  /** Open the page about a view. */
  function show(view: string): void {
    page.value = ABOUT[view] ?? "start";
    keysOpen.value = false;
    open.value = true;
  }

  function keys(): void {
    open.value = false;
    keysOpen.value = true;
  }

  return { open, keysOpen, page, show, keys };
});
