import { describe, expect, it } from "vitest";

import { clock, keyRange, secondsALine, stepsOf } from "./takeLine";

describe("a take as lines", () => {
  it("fills about four lines, each of a round length", () => {
    for (const seconds of [3, 34, 92, 364, 3_600, 7_200]) {
      const line = secondsALine(seconds);
      expect(Math.ceil(seconds / line)).toBeLessThanOrEqual(4);
      expect(Number.isInteger(line)).toBe(true);
    }
    expect(secondsALine(92)).toBe(25);
  });

  it("says times as a clock does", () => {
    expect(clock(90)).toBe("1:30");
    expect(clock(68.44, true)).toBe("1:08.4");
    expect(clock(59.99, true)).toBe("0:59.9");
  });

  it("a lane goes on from where it stood, and to the end", () => {
    const lane = {
      id: "pad_up",
      name: "pad, up",
      low: -1,
      high: 1,
      points: [
        [1, 0.2],
        [4, 0.5],
        [9, 1],
      ] as [number, number][],
    };
    expect(stepsOf(lane, 2, 5)).toEqual([
      [2, 0.2],
      [4, 0.5],
      [5, 0.5],
    ]);
    expect(stepsOf({ ...lane, points: [] }, 0, 5)).toEqual([]);
    expect(stepsOf(lane, 0, 0.5)).toEqual([]);
  });

  it("leaves room about the keys", () => {
    expect(keyRange([])).toEqual([48, 72]);
    expect(keyRange([{ start: 0, end: 1, key: 60, velocity: 1 }])).toEqual([59, 61]);
  });
});
