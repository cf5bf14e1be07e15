import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { Tiles, WAVE_COLUMNS } from "./tiles";

const FRAMES = 1_000_000;

/** A server whose answers come when they are let go. */
let asked: string[];
let answers: ((ok: boolean) => void)[];
beforeEach(() => {
  asked = [];
  answers = [];
  vi.stubGlobal("fetch", (url: string) => {
    asked.push(url);
    return new Promise((resolve) =>
      answers.push((ok) => resolve({ ok, status: ok ? 200 : 500, arrayBuffer: async () => new ArrayBuffer(4 * WAVE_COLUMNS) })),
    );
  });
});
afterEach(() => vi.unstubAllGlobals());

async function letGo(ok = true): Promise<void> {
  answers.splice(0).forEach((answer) => answer(ok));
  await new Promise((resolve) => setTimeout(resolve));
}

describe("tiles of a waveform", () => {
  it("are asked for once, at the level of the zoom, and cover what is seen", async () => {
    const arrived = vi.fn();
    const tiles = new Tiles(arrived);
    const look = () => tiles.wave("k", FRAMES, 100_000, 400_000, 256);
    expect(look()).toEqual([]);
    look();
    expect(new Set(asked).size).toBe(asked.length);
    expect(asked.every((url) => url.startsWith("/api/sounds/k/wave/8/"))).toBe(true);
    await letGo();
    expect(arrived).toHaveBeenCalled();
    const parts = look();
    const ends = parts.map(({ first, step }) => first + step * WAVE_COLUMNS);
    expect(parts[0]!.first).toBeLessThanOrEqual(100_000);
    expect(ends.at(-1)).toBeGreaterThanOrEqual(400_000);
    // one begins where the last one ends
    expect(parts.slice(1).map(({ first }) => first)).toEqual(ends.slice(0, -1));
  });

  it("are coarser ones until finer ones are here", async () => {
    const tiles = new Tiles(() => undefined);
    tiles.wave("k", FRAMES, 0, FRAMES, 2_048);
    await letGo();
    const blurred = tiles.wave("k", FRAMES, 10_000, 20_000, 16);
    expect(blurred.map(({ step }) => step)).toEqual([2_048]);
    await letGo();
    expect(tiles.wave("k", FRAMES, 10_000, 20_000, 16).every(({ step }) => step === 16)).toBe(true);
  });

  it("end with the sound", async () => {
    const tiles = new Tiles(() => undefined);
    tiles.wave("k", 1_000, -5_000, 50_000, 1);
    expect(asked).toEqual(["/api/sounds/k/wave/0/0", "/api/sounds/k/wave/0/1"]);
  });

  it("that could not be had are asked for again when they are looked for again", async () => {
    const tiles = new Tiles(() => undefined);
    tiles.wave("k", 500, 0, 500, 1);
    await letGo(false);
    tiles.wave("k", 500, 0, 500, 1);
    expect(asked).toHaveLength(2);
  });
});
