import { describe, expect, it, vi } from "vitest";

import { followPointer } from "./pointer";

function pressed() {
  const element = document.createElement("div");
  element.setPointerCapture = vi.fn();
  const [move, end] = [vi.fn(), vi.fn()];
  element.addEventListener("pointerdown", (event) => followPointer(event, move, end), { once: true });
  element.dispatchEvent(new PointerEvent("pointerdown", { pointerId: 3 }));
  return { element, move, end };
}

describe("a pointer that is followed", () => {
  it("is followed until it is let go of", () => {
    const { element, move, end } = pressed();
    expect(element.setPointerCapture).toHaveBeenCalledWith(3);
    element.dispatchEvent(new Event("pointermove"));
    element.dispatchEvent(new Event("pointerup"));
    element.dispatchEvent(new Event("pointermove"));
    expect(move).toHaveBeenCalledTimes(1);
    expect(end).toHaveBeenCalledExactlyOnceWith(false);
  });

  it("is left by Escape, which goes no further", () => {
    const { element, move, end } = pressed();
    const heard = vi.fn();
    document.addEventListener("keydown", heard);
    document.dispatchEvent(new KeyboardEvent("keydown", { key: "a", bubbles: true }));
    document.dispatchEvent(new KeyboardEvent("keydown", { key: "Escape", bubbles: true }));
    element.dispatchEvent(new Event("pointermove"));
    expect(end).toHaveBeenCalledExactlyOnceWith(true);
    expect(move).not.toHaveBeenCalled();
    expect(heard).toHaveBeenCalledTimes(1);
  });
});
