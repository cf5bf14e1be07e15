import { expect, it } from "vitest";

import { reveal } from "./reveal";

/** A list that shows 100 px of its rows. */
const scrolled = (scrollTop: number) => ({ scrollTop, clientHeight: 100 }) as HTMLElement;

it("scrolls no further than shows the row whole, and not at all where it is seen", () => {
  for (const [from, index, to] of [
    [0, 2, 0],
    [0, 5, 80],
    [200, 2, 60],
    [200, 7, 200],
  ] as const) {
    const box = scrolled(from);
    reveal(box, index, 30);
    expect(box.scrollTop).toBe(to);
    expect(index * 30).toBeGreaterThanOrEqual(box.scrollTop);
    expect((index + 1) * 30).toBeLessThanOrEqual(box.scrollTop + 100);
  }
});

it("leaves a list alone that has no such row, or is not there", () => {
  const box = scrolled(40);
  reveal(box, -1, 30);
  reveal(null, 3, 30);
  expect(box.scrollTop).toBe(40);
});
