import { describe, expect, it } from "vitest";

import { HeardClock } from "./heardClock";

const BLOCK_S = 256 / 48_000;

describe("the clock of what is heard", () => {
  it("takes off what lies between the engine and the ears", () => {
    const clock = new HeardClock();
    expect(clock.at(0)).toBeNull();
    clock.told(10, 6, 20, 1_000);
    expect(clock.at(1_000)).toBeCloseTo(10 - 7 * BLOCK_S - 0.02, 9);
    expect(clock.at(2_000)).toBeCloseTo(11 - 7 * BLOCK_S - 0.02, 9);
  });

  it("is not moved by one that comes late", () => {
    const clock = new HeardClock();
    for (let i = 0; i < 9; i++) clock.told(i * 0.03, 0, 0, i * 30 + (i === 6 ? 25 : 0));
    expect(clock.at(1_000)).toBeCloseTo(1 - BLOCK_S, 6);
  });

  it("follows at once where it begins elsewhere", () => {
    const clock = new HeardClock();
    for (let i = 0; i < 9; i++) clock.told(i * 0.03, 0, 0, i * 30);
    clock.told(40, 0, 0, 300);
    expect(clock.at(300)).toBeCloseTo(40 - BLOCK_S, 6);
  });
});
