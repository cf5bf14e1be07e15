import { describe, expect, it } from "vitest";

import { frequencyAt, frequencyMarks, frequencyShare, moment, timeMarks } from "./axes";

describe("graduations of time", () => {
  it("are round, evenly apart, inside what is seen, and no more than asked for", () => {
    for (const [from, to] of [
      [0, 18.2],
      [3.217, 3.2174],
      [100, 4_000],
    ] as const) {
      const marks = timeMarks(from, to, 10);
      expect(marks.length).toBeGreaterThan(2);
      expect(marks.length).toBeLessThanOrEqual(11);
      const steps = marks.slice(1).map(({ at }, i) => at - marks[i]!.at);
      for (const step of steps) expect(step).toBeCloseTo(steps[0]!, 9);
      expect(marks[0]!.at).toBeGreaterThanOrEqual(from - 1e-9);
      expect(marks.at(-1)!.at).toBeLessThanOrEqual(to + 1e-9);
    }
  });

  it("are told apart by their words", () => {
    const words = timeMarks(3.217, 3.2174, 10).map(({ word }) => word);
    expect(new Set(words).size).toBe(words.length);
  });

  it.each([
    [4.2, 0.1, "4.2 s"],
    [62.5, 0.5, "1:02.5"],
    [125, 5, "2:05"],
    [3_725, 60, "1:02:05"],
  ])("say %f s in steps of %f as %s", (seconds, step, words) => {
    expect(moment(seconds, step)).toBe(words);
  });
});

describe("the axis of frequency", () => {
  it.each(["log", "linear"] as const)("leads there and back (%s)", (axis) => {
    for (const hz of [55, 440, 7_000, 20_000]) expect(frequencyAt(frequencyShare(hz, 48_000, axis), 48_000, axis)).toBeCloseTo(hz, 6);
  });

  it("gives every octave the same room where it is logarithmic", () => {
    const octave = (hz: number) => frequencyShare(2 * hz, 48_000, "log") - frequencyShare(hz, 48_000, "log");
    expect(octave(100)).toBeCloseTo(octave(5_000), 9);
  });

  it("has marks below half the rate only", () => {
    for (const rate of [8_000, 44_100, 96_000])
      for (const axis of ["log", "linear"] as const) for (const { at } of frequencyMarks(rate, axis)) expect(at).toBeLessThan(rate / 2);
  });
});
