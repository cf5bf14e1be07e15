import { describe, expect, it } from "vitest";

import type { Sampled } from "../../api/types";
import { isBlack, keysShown, neighbour, placeOf } from "./keyMap";

const note = (key: number, velocity: number, turn = 0): Sampled =>
  ({ key, velocity, turn, lowest: key - 2, highest: key + 1, softest: velocity - 62, hardest: velocity }) as Sampled;
const NOTES = [note(48, 63), note(48, 127), note(52, 63), note(52, 127), note(56, 63), note(56, 127)];

describe("the map of samples", () => {
  it("shows all keys that are played, and a little beside", () => {
    expect(keysShown(NOTES)).toEqual([45, 59]);
    expect(keysShown([note(2, 63), note(126, 63)])).toEqual([0, 128]);
  });

  it("lays notes side by side without gap or overlap, the hardest on top", () => {
    const shown = keysShown(NOTES);
    const [soft, hard, next] = [NOTES[0]!, NOTES[1]!, NOTES[2]!].map((one) => placeOf(one, shown, 1));
    expect(soft!.left + soft!.width).toBeCloseTo(next!.left);
    expect(hard!.top).toBe(0);
    expect(hard!.top + hard!.height).toBeLessThanOrEqual(soft!.top + 1e-9);
  });

  it("lays those that take turns in rows of their band", () => {
    const [first, second] = [note(48, 127, 0), note(48, 127, 1)].map((one) => placeOf(one, [40, 60], 2));
    expect(first!.height).toBeCloseTo(second!.height);
    expect(first!.top + first!.height).toBeCloseTo(second!.top);
  });

  it("goes from note to note by arrows, and stays at the edge", () => {
    expect(neighbour(NOTES, NOTES[0]!, "right")).toBe(NOTES[2]);
    expect(neighbour(NOTES, NOTES[2]!, "left")).toBe(NOTES[0]);
    expect(neighbour(NOTES, NOTES[0]!, "up")).toBe(NOTES[1]);
    expect(neighbour(NOTES, NOTES[1]!, "down")).toBe(NOTES[0]);
    expect(neighbour(NOTES, NOTES[0]!, "left")).toBeUndefined();
    const turns = [note(48, 127, 0), note(48, 127, 1)];
    expect(neighbour(turns, turns[0]!, "down")).toBe(turns[1]);
  });

  it("knows the black keys", () => {
    expect([60, 61, 62, 63, 64, 65, 66].filter(isBlack)).toEqual([61, 63, 66]);
  });
});
