import { defineStore } from "pinia";
import { ref } from "vue";

export interface Notice {
  id: number;
  text: string;
  tone: "plain" | "bad";
  undo?: () => void;
}

const SHOWN_MS = 8_000;
const BAD_SHOWN_MS = 15_000;

/** What just happened, in one sentence, with a way back where there is one. */
export const useNotices = defineStore("notices", () => {
  const notices = ref<Notice[]>([]);
  let next = 1;

  function dismiss(id: number): void {
    notices.value = notices.value.filter((notice) => notice.id !== id);
  }

  function add(text: string, tone: Notice["tone"], undo?: () => void): void {
    const id = next++;
    notices.value = [...notices.value.filter((notice) => notice.text !== text), { id, text, tone, undo }].slice(-4);
    setTimeout(() => dismiss(id), tone === "bad" ? BAD_SHOWN_MS : SHOWN_MS);
  }

  const say = (text: string, undo?: () => void) => add(text, "plain", undo);
  const complain = (error: unknown) => add(error instanceof Error ? error.message : String(error), "bad");

  return { notices, say, complain, dismiss };
});
