import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { createApp, h, ref } from "vue";

import { useKeys } from "./keys";
import { player } from "./player";

const octave = ref(3);
let leave: () => void;
let ended: number[];
beforeEach(() => {
  ended = [];
  octave.value = 3;
  vi.spyOn(player, "start").mockImplementation((key) => key);
  vi.spyOn(player, "end").mockImplementation((note) => void ended.push(note));
  const app = createApp({ setup: () => (useKeys(octave), () => h("input")) });
  const root = document.body.appendChild(document.createElement("div"));
  app.mount(root);
  leave = () => (app.unmount(), root.remove());
});
afterEach(() => {
  leave();
  vi.restoreAllMocks();
});

const press = (code: string, more: KeyboardEventInit = {}, on: EventTarget = window) =>
  on.dispatchEvent(new KeyboardEvent("keydown", { code, bubbles: true, cancelable: true, ...more }));
const release = (code: string) => window.dispatchEvent(new KeyboardEvent("keyup", { code, bubbles: true }));
const struck = () => vi.mocked(player.start).mock.calls.map(([key]) => key);

describe("the computer's keys", () => {
  it("play two octaves from the C that is set, as the keys of a piano lie", () => {
    // white keys of the lower row, a black one, and the upper row an octave above
    for (const code of ["KeyZ", "KeyX", "KeyM", "KeyS", "KeyQ", "KeyI"]) press(code);
    expect(struck()).toEqual([48, 50, 59, 49, 60, 72]);
    octave.value = 4;
    press("KeyC");
    expect(struck().at(-1)).toBe(64);
  });

  it("let go of the note that they struck, even where the octave changed meanwhile", () => {
    press("KeyZ");
    octave.value = 5;
    release("KeyZ");
    expect(ended).toEqual([48]);
  });

  it("strike once, however long they are held", () => {
    press("KeyZ");
    press("KeyZ", { repeat: true });
    press("KeyZ");
    expect(struck()).toEqual([48]);
  });

  it("are left alone with Ctrl, and while something is typed", () => {
    press("KeyZ", { ctrlKey: true });
    press("KeyZ", {}, document.querySelector("input")!);
    expect(struck()).toEqual([]);
  });

  it("leave nothing sounding when the window or the page is left", () => {
    press("KeyZ");
    press("KeyB");
    window.dispatchEvent(new Event("blur"));
    expect(ended.sort()).toEqual([48, 55]);
    press("KeyX");
    leave();
    expect(ended).toContain(50);
  });
});
