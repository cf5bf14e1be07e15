import { expect, it } from "vitest";

import { useZoom } from "./zoom";

it("shows what is asked for, and never more than there is", () => {
  const { view, look, whole } = useZoom(() => 1000);
  look(100, 300);
  expect(view.value).toEqual({ from: 100, to: 300 });
  look(-200, 5000);
  expect(view.value).toEqual({ from: 0, to: 1000 });
  look(900, 1100);
  expect(view.value).toEqual({ from: 800, to: 1000 });
  whole();
  expect(view.value).toEqual({ from: 0, to: 1000 });
});

it("keeps the middle where it comes too close", () => {
  const { view, look } = useZoom(() => 1000);
  look(500, 502);
  expect(view.value).toEqual({ from: 489, to: 513 });
});

it("shows all of what is shorter than the least", () => {
  const { view, look } = useZoom(() => 10);
  look(2, 4);
  expect(view.value).toEqual({ from: 0, to: 10 });
});
