import { describe, expect, it } from "vitest";

import { exactOf, labelStep, timecodeOf } from "./timecode";

describe("timecode", () => {
  it("drops two numbers a minute at 29.97, but every tenth (SMPTE ST 12-1)", () => {
    expect(timecodeOf(1_799, "29.97", true)).toBe("00:00:59;29");
    expect(timecodeOf(1_800, "29.97", true)).toBe("00:01:00;02");
    expect(timecodeOf(17_981, "29.97", true)).toBe("00:09:59;29");
    expect(timecodeOf(17_982, "29.97", true)).toBe("00:10:00;00");
    expect(timecodeOf(107_892, "29.97", true)).toBe("01:00:00;00");
    expect(timecodeOf(3_600, "59.94", true)).toBe("00:01:00;04");
  });

  it("counts every number elsewhere, and begins anew at midnight", () => {
    expect(timecodeOf(86_400, "24", false)).toBe("01:00:00:00");
    expect(timecodeOf(86_400, "23.976", false)).toBe("01:00:00:00");
    expect(timecodeOf(24 * 90_000, "25", false)).toBe("00:00:00:00");
    expect(timecodeOf(-1, "25", false)).toBe("23:59:59:24");
  });

  it("passes frames at the exact rate", () => {
    expect(exactOf("29.97")).toBeCloseTo(30_000 / 1_001, 9);
    expect(exactOf("50")).toBe(50);
  });

  it("puts labels apart, on frames that are easily counted", () => {
    expect(labelStep("24", 40, 76)).toBe(2);
    expect(labelStep("24", 4, 76)).toBe(24);
    expect(labelStep("24", 0.5, 76)).toBe(240);
    expect(labelStep("25", 8, 76)).toBe(25);
    expect(labelStep("24", 1e-6, 76)).toBe(86_400);
  });
});
