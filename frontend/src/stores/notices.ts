import { defineStore } from "pinia";
import { ref } from "vue";

export interface Notice {
  id: number;
  text: string;
  tone: "plain" | "bad";
  /** A way back, or a way on. */
  offer?: Offer;
}

export interface Offer {
  word: string;
  take: () => unknown;
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

  function add(text: string, tone: Notice["tone"], offer?: Offer): void {
    const id = next++;
    notices.value = [...notices.value.filter((notice) => notice.text !== text), { id, text, tone, offer }].slice(-4);
    setTimeout(() => dismiss(id), tone === "bad" ? BAD_SHOWN_MS : SHOWN_MS);
  }

  const say = (text: string, undo?: () => unknown) => add(text, "plain", undo && { word: "Undo", take: undo });
  const tell = (text: string, offer: Offer) => add(text, "plain", offer);
  const complain = (error: unknown) => add(error instanceof Error ? error.message : String(error), "bad");

  return { notices, say, tell, complain, dismiss };
});
