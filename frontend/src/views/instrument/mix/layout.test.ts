import { describe, expect, it } from "vitest";

import type { Effect } from "../../../api/types";
import type { Stream } from "../../../stores/mix";
import { dropAt, layOut, stationAt, widthAt } from "./layout";

const stream = (id: string, what: "layer" | "bus" | "whole", effects = 0) =>
  ({
    id,
    name: id,
    petal: null,
    path: "",
    effects: Array<Effect>(effects),
    layer: what === "layer" ? {} : null,
    bus: what === "bus" ? {} : null,
  }) as Stream;

const FULL = [
  ...Array.from({ length: 8 }, (_, i) => stream(`l${i}`, "layer", i)),
  ...Array.from({ length: 4 }, (_, i) => stream(`b${i}`, "bus", 16)),
  stream("instrument", "whole", 3),
];

describe("the layout of the mix", () => {
  it("keeps eight layers, four shared streams and sixteen effects apart and inside", () => {
    for (const [width, height] of [
      [870, 520],
      [620, 420],
    ] as const) {
      const layout = layOut(FULL, width, height);
      expect(layout.rows).toHaveLength(12);
      layout.rows.slice(1).forEach((row, i) => expect(row.y - layout.rows[i]!.y).toBeGreaterThanOrEqual(row.height));
      const last = layout.rows.at(-1)!;
      expect(last.y + last.height / 2).toBeLessThanOrEqual(height);
      const end = stationAt(layout, last, 15);
      expect(end.left + end.width).toBeLessThanOrEqual(layout.chainEnd);
      expect(Math.max(...layout.sendX.values())).toBeLessThan(layout.whole.left);
      expect(layout.whole.left + layout.whole.width).toBeLessThanOrEqual(width);
    }
  });
  it("finds before which station something is dropped", () => {
    const layout = layOut(FULL, 870, 520);
    expect(dropAt(layout, 0, 5)).toBe(0);
    expect(dropAt(layout, layout.label + 8 + 2.2 * (layout.station + 8), 5)).toBe(2);
    expect(dropAt(layout, 5_000, 5)).toBe(5);
  });
  it("draws louder streams wider, and silent ones as a thread", () => {
    expect(widthAt(-60, 40)).toBe(2);
    expect(widthAt(-6, 40)).toBeGreaterThan(widthAt(-20, 40));
  });
});
