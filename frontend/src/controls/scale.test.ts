import { describe, expect, it } from "vitest";

import type { Parameter } from "../api/types";
import { fromShare, graduations, spoken, toShare, typed } from "./scale";

const parameter = (more: Partial<Parameter>): Parameter =>
  ({ id: "p", name: "p", unit: "", low: 0, high: 1, default: 0, scale: "linear", help: "", marks: [], ...more }) as Parameter;

const CUTOFF = parameter({ unit: "Hz", low: 20, high: 20_000, scale: "log" });
const ATTACK = parameter({ unit: "ms", low: 0, high: 20_000, scale: "cubic" });
const LEVEL = parameter({ unit: "dB", low: -60, high: 12, scale: "decibel" });
const KEY = parameter({ unit: "key", low: 0, high: 127, whole_number: true });

describe("places on a rule", () => {
  it.each([CUTOFF, ATTACK, LEVEL, KEY])("lead to values and back ($unit)", (p) => {
    for (const share of [0, 0.1, 0.37, 0.5, 0.93, 1]) {
      // as near as the digits that are shown allow
      const value = fromShare(p, share);
      expect(value).toBeGreaterThanOrEqual(p.low);
      expect(value).toBeLessThanOrEqual(p.high);
      expect(Math.abs(toShare(p, value) - share)).toBeLessThan(0.006);
      expect(fromShare(p, toShare(p, value))).toBeCloseTo(value, 3);
    }
  });

  it("rise with the value, and are held inside the rule", () => {
    for (const p of [CUTOFF, ATTACK, LEVEL]) {
      const shares = [0, 0.2, 0.4, 0.6, 0.8, 1].map((share) => toShare(p, fromShare(p, share)));
      expect([...shares].sort((a, b) => a - b)).toEqual(shares);
      expect(toShare(p, p.high * 2 + 1)).toBe(1);
      expect(fromShare(p, -3)).toBe(p.low);
    }
  });

  it("are halved by the geometric mean where the scale is logarithmic", () => {
    expect(fromShare(CUTOFF, 0.5)).toBeCloseTo(Math.sqrt(20 * 20_000), 0);
  });
});

describe("values in words", () => {
  it.each([
    [CUTOFF, 632.5, "633 Hz"],
    [ATTACK, 2_500, "2.5 s"],
    [LEVEL, -6, "\u22126 dB"],
    [LEVEL, 3, "+3 dB"],
    [KEY, 60, "C4"],
  ] as const)("are said with their unit", (p, value, words) => {
    expect(spoken(p, value)).toBe(words);
  });

  it("are read again as they were said", () => {
    for (const [p, value] of [
      [CUTOFF, 633],
      [ATTACK, 2_500],
      [LEVEL, -6],
      [LEVEL, 3],
      [KEY, 61],
    ] as const)
      expect(typed(p, spoken(p, value))).toBeCloseTo(value, 6);
  });

  it("are read with a comma, a unit and seconds for milliseconds", () => {
    expect(typed(LEVEL, "-4,5 dB")).toBe(-4.5);
    expect(typed(ATTACK, "1.5 s")).toBe(1_500);
    expect(typed(ATTACK, "150")).toBe(150);
    expect(typed(LEVEL, "loud")).toBeNull();
  });

  it("lie between names where a rule has them", () => {
    const shape = parameter({
      marks: [
        [0, "sine"],
        [1, "saw"],
      ],
    });
    expect(spoken(shape, 0)).toBe("sine");
    expect(spoken(shape, 0.25)).toBe("sine to saw 25 %");
    expect(typed(shape, "Saw")).toBe(1);
  });
});

describe("a rule with one name", () => {
  const RATIO = parameter({ unit: ": 1", low: 1, high: 100, scale: "log", marks: [[100, "held"]] });
  it("says the name there and numbers elsewhere", () => {
    expect(spoken(RATIO, 100)).toBe("held");
    expect(spoken(RATIO, 4)).toBe("4 : 1");
    expect(typed(RATIO, "held")).toBe(100);
    expect(graduations(RATIO).length).toBeGreaterThan(3);
  });
});
