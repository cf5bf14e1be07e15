import { describe, expect, it } from "vitest";

import { asText, axesOf, outlined, placed, shareOf } from "./curve";

describe("the picture of an effect", () => {
  it("places frequencies by octaves and holds what lies outside at the edge", () => {
    expect(shareOf(632.456, [20, 20_000], true)).toBeCloseTo(0.5, 4);
    expect(shareOf(5, [20, 20_000], true)).toBe(0);
    expect(shareOf(30, [-30, 24])).toBe(1);
  });
  it("reaches as far in time as there is something, and as far up as a curve goes", () => {
    expect(
      axesOf("decay", [
        [0, 0],
        [2.5, -70],
      ]).x,
    ).toEqual([0, 2.5]);
    expect(
      axesOf("shape", [
        [-1, -1.4],
        [1, 1.4],
      ]).y,
    ).toEqual([-1.4, 1.4]);
  });
  it("draws up as louder", () => {
    const axes = axesOf("levels", []);
    expect(
      placed(
        [
          [-72, -72],
          [0, 0],
        ],
        axes,
        100,
        50,
      ),
    ).toEqual([
      [0, 50],
      [100, 0],
    ]);
    expect(
      asText([
        [0, 50],
        [99.96, 0],
      ]),
    ).toBe("0.0,50.0 100.0,0.0");
  });
});

describe("what passes an effect", () => {
  it("is an area whose corners stand on the floor, louder further up, bands by octaves", () => {
    const axes = axesOf("response", []);
    const points = outlined([-96, -48, 0], [20, 20_000], axes, 300, 96);
    expect(points.map(([x, y]) => [Math.round(x), Math.round(y)])).toEqual([
      [50, 96],
      [50, 96],
      [150, 48],
      [250, 0],
      [250, 96],
    ]);
    expect(outlined([], [20, 20_000], axes, 300, 96)).toEqual([]);
  });
});
