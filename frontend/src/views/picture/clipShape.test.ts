import { describe, expect, it } from "vitest";

import type { TimelineClip } from "../../api/types";
import { decibelsAt, heightOf, levelAt, levelLine, outlineOf, rising } from "./clipShape";

const clip = (more: Partial<TimelineClip> = {}): TimelineClip => ({
  id: "c1",
  name: "Reeds",
  recording: "0".repeat(64),
  take: null,
  start: 0,
  offset: 0,
  seconds: 4,
  gain: 0,
  fade_in: 0,
  fade_out: 0,
  curve_in: "equal power",
  curve_out: "equal power",
  levels: [],
  ...more,
});

const heights = (points: string) => points.split(" ").map((one) => one.split(",").map(Number) as [number, number]);

describe("the shape of a clip", () => {
  it("fades as it is mixed", () => {
    for (const curve of ["linear", "equal power", "slow start", "slow end"] as const) {
      expect(rising(-1, curve)).toBeCloseTo(0, 12);
      expect(rising(2, curve)).toBeCloseTo(1, 12);
    }
    expect(rising(0.5, "equal power") ** 2).toBeCloseTo(0.5, 12);
  });

  it("draws a level between its points and holds it beyond", () => {
    const drawn = clip({
      levels: [
        { at: 1, db: 0 },
        { at: 3, db: -12 },
      ],
    });
    expect([0, 1, 2, 3, 4].map((time) => levelAt(drawn, time))).toEqual([0, 0, -6, -12, -12]);
    expect(heights(levelLine(drawn)).map(([x]) => x)).toEqual([0, 0.25, 0.75, 1]);
    expect(levelAt(clip(), 2)).toBe(0);
  });

  it("goes between height and decibels and back", () => {
    for (const db of [-36, -12, 0, 12]) expect(decibelsAt(heightOf(db))).toBeCloseTo(db, 9);
  });

  it("shows the stretch of its sound that it plays", () => {
    const outline = { source: "x", seconds: 8, pairs: Array.from({ length: 16 }, (_, i) => (i < 8 ? 0 : i % 2 ? 100 : -100)) };
    const loud = (points: string) =>
      heights(points)
        .slice(0, 241)
        .filter(([, y]) => y < 0.3).length;
    expect(loud(outlineOf(clip({ offset: 0 }), outline, 100))).toBe(1);
    expect(loud(outlineOf(clip({ offset: 4 }), outline, 100))).toBe(240);
    // past its end it is silent
    expect(loud(outlineOf(clip({ offset: 6 }), outline, 100))).toBe(120);
  });
});
