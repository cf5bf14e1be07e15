import { describe, expect, it } from "vitest";

import { heardFrom, stretchesOf } from "./comp";

const first = [{ take: 1, start: 0 }];

describe("parts of a comp", () => {
  it("another pass is heard from where it is clicked", () => {
    expect(heardFrom(first, 2, 3)).toEqual([
      { take: 1, start: 0 },
      { take: 2, start: 3 },
    ]);
  });

  it("a click near the beginning takes the beginning", () => {
    expect(heardFrom(first, 2, 0.01)).toEqual([{ take: 2, start: 0 }]);
  });

  it("parts of one pass that meet are one", () => {
    const two = heardFrom(heardFrom(first, 2, 3), 1, 6);
    expect(two).toHaveLength(3);
    expect(heardFrom(two, 1, 3)).toEqual(first);
    expect(heardFrom(two, 2, 6)).toEqual(heardFrom(first, 2, 3));
  });

  it("stretches end where the next part begins, or with the pass", () => {
    const parts = heardFrom(heardFrom(first, 2, 3), 1, 6);
    expect(stretchesOf(parts, 1, 10)).toEqual([
      { start: 0, end: 3 },
      { start: 6, end: 10 },
    ]);
    expect(stretchesOf(parts, 2, 10)).toEqual([{ start: 3, end: 6 }]);
    expect(stretchesOf(parts, 3, 10)).toEqual([]);
  });
});
