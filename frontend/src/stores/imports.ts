import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";

export interface ImportLine {
  key: number;
  file: File;
  state: "waiting" | "in" | "known" | "refused";
  id: number | null;
  why: string;
}

/** What came of the files that were added: it stands until it is dismissed. */
export const useImports = defineStore("imports", () => {
  const lines = shallowRef<ImportLine[]>([]);
  const dismissed = ref(true);
  const of = (state: ImportLine["state"]) => computed(() => lines.value.filter((line) => line.state === state));
  const [waiting, arrived, known, refused] = [of("waiting"), of("in"), of("known"), of("refused")];
  /** One file that went in is seen on the shelf: there is nothing to report. */
  const shown = computed(() => !dismissed.value && (lines.value.length > 1 || known.value.length + refused.value.length > 0));

  let next = 0;

  /** Enter files that are about to be sent; gives the key of each in the report. */
  function begin(files: File[]): number[] {
    // what is still under way, or is not known to have gone wrong, stays with what comes now
    const kept = dismissed.value && !waiting.value.length ? [] : lines.value;
    const fresh = files.map((file): ImportLine => ({ key: next++, file, state: "waiting", id: null, why: "" }));
    lines.value = [...kept, ...fresh];
    dismissed.value = false;
    return fresh.map(({ key }) => key);
  }

  function end(key: number, what: Partial<ImportLine>): void {
    lines.value = lines.value.map((line) => (line.key === key ? { ...line, ...what } : line));
  }

  /** Forget what was refused and give its files, to be sent again. */
  function again(): File[] {
    const files = refused.value.map(({ file }) => file);
    lines.value = lines.value.filter(({ state }) => state !== "refused");
    return files;
  }

  const dismiss = () => void (dismissed.value = true);

  return { lines, waiting, arrived, known, refused, shown, begin, end, again, dismiss };
});
