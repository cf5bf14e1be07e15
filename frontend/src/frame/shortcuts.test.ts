import { afterEach, expect, it, vi } from "vitest";
import { createApp, defineComponent, h } from "vue";

import { combination, isCommand, SHEET, useShortcuts } from "./shortcuts";

const handlers = { undo: vi.fn(), hear: vi.fn(), help: vi.fn(), search: vi.fn(() => false), grow: vi.fn() };
let open = true;

function mounted(html: string): HTMLElement {
  const host = document.createElement("div");
  document.body.append(host);
  const app = createApp(
    defineComponent(() => {
      useShortcuts(handlers, () => open);
      return () => h("div", { innerHTML: html });
    }),
  );
  app.mount(host);
  leave = () => (app.unmount(), host.remove());
  return host;
}
let leave = (): void => undefined;

function press(target: Element, key: string, more: KeyboardEventInit = {}): boolean {
  return !target.dispatchEvent(new KeyboardEvent("keydown", { key, bubbles: true, cancelable: true, ...more }));
}

afterEach(() => {
  leave();
  open = true;
  vi.clearAllMocks();
});

it("calls what a key is for, once, and takes the key", () => {
  const host = mounted("<p></p>");
  expect(press(host.querySelector("p")!, "z", { ctrlKey: true })).toBe(true);
  expect(press(host.querySelector("p")!, "z", { metaKey: true })).toBe(true);
  expect(handlers.undo).toHaveBeenCalledTimes(2);
  press(host.querySelector("p")!, "?", { shiftKey: true });
  expect(handlers.help).toHaveBeenCalledOnce();
});

it("leaves alone what is typed, and what is in a dialog", () => {
  const host = mounted('<input /><div role="dialog"><p></p></div>');
  press(host.querySelector("input")!, "z", { ctrlKey: true });
  press(host.querySelector("[role=dialog] p")!, "z", { ctrlKey: true });
  expect(handlers.undo).not.toHaveBeenCalled();
});

it("leaves Enter to a button, but not undo", () => {
  const host = mounted("<button></button>");
  expect(press(host.querySelector("button")!, "Enter")).toBe(false);
  expect(handlers.hear).not.toHaveBeenCalled();
  press(host.querySelector("button")!, "z", { ctrlKey: true });
  expect(handlers.undo).toHaveBeenCalledOnce();
});

it("leaves a key to others where its handler did nothing, and all while it is not open", () => {
  const host = mounted("<p></p>");
  expect(press(host.querySelector("p")!, "/")).toBe(false);
  open = false;
  press(host.querySelector("p")!, "Enter");
  expect(handlers.hear).not.toHaveBeenCalled();
});

it("takes letters as commands in the ledger only, and leaves them to notes elsewhere", () => {
  const host = mounted("<div data-ledger><p></p></div><section><p></p></section>");
  const pressed = (target: Element) => {
    let command = false;
    target.addEventListener("keydown", (event) => (command = isCommand(event as KeyboardEvent)), { once: true });
    press(target, "g");
    return command;
  };
  expect(pressed(host.querySelector("section p")!)).toBe(false);
  expect(handlers.grow).not.toHaveBeenCalled();
  expect(pressed(host.querySelector("[data-ledger] p")!)).toBe(true);
  expect(handlers.grow).toHaveBeenCalledOnce();
});

it.each([
  [{ key: "Z", shiftKey: true, ctrlKey: true }, "ctrl+shift+z"],
  [{ key: "?", shiftKey: true }, "?"],
  [{ key: "Enter", shiftKey: true }, "shift+enter"],
  [{ key: "ArrowUp", altKey: true }, "alt+arrowup"],
])("says %o as the map does", (init, words) => {
  expect(combination(new KeyboardEvent("keydown", init))).toBe(words);
});

it("has every row of the sheet say what it does", () => {
  for (const { rows } of SHEET) for (const { shown, does } of rows) expect([shown, does].every(Boolean)).toBe(true);
});
