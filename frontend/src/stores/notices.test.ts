import { createPinia, setActivePinia } from "pinia";
import { beforeEach, expect, it, vi } from "vitest";

import { useNotices } from "./notices";

beforeEach(() => {
  setActivePinia(createPinia());
  vi.useFakeTimers();
  return () => vi.useRealTimers();
});

it("goes by itself, what is wrong later than what is well", () => {
  const notices = useNotices();
  notices.say("Kept.");
  notices.complain(new Error("It could not be read."));
  vi.advanceTimersByTime(9_000);
  expect(notices.notices.map(({ text }) => text)).toEqual(["It could not be read."]);
  vi.advanceTimersByTime(9_000);
  expect(notices.notices).toEqual([]);
});

it("is said once, and with others no more than four at a time", () => {
  const notices = useNotices();
  for (const text of ["a", "b", "a", "c", "d", "e"]) notices.say(text);
  expect(notices.notices.map(({ text }) => text)).toEqual(["a", "c", "d", "e"]);
});

it("can be put away, and offers its way back", () => {
  const notices = useNotices();
  const undo = vi.fn();
  notices.say("Deleted.", undo);
  expect(notices.notices[0]!.offer!.word).toBe("Undo");
  notices.notices[0]!.offer!.take();
  expect(undo).toHaveBeenCalledOnce();
  notices.dismiss(notices.notices[0]!.id);
  expect(notices.notices).toEqual([]);
});
