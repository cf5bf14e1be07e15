/** Where the points of an effect's picture lie in a box. */
import type { EffectKind } from "../../../api/types";

export interface Axes {
  x: [low: number, high: number];
  y: [low: number, high: number];
  /** Whether across is by octaves. */
  log: boolean;
  /** What is read across and up. */
  words: [across: string, up: string];
}

type Picture = EffectKind["picture"];
export type Point = readonly [x: number, y: number];

const FLOOR_DB = -72;

/** The axes that suit a kind of picture, and its points. */
export function axesOf(picture: Picture, points: readonly Point[]): Axes {
  switch (picture) {
    case "response":
      return { x: [20, 20_000], y: [-30, 24], log: true, words: ["Hz", "dB"] };
    case "levels":
      return { x: [FLOOR_DB, 0], y: [FLOOR_DB, 0], log: false, words: ["in", "out"] };
    case "shape": {
      const most = Math.max(1, ...points.map(([, y]) => Math.abs(y)));
      return { x: [-1, 1], y: [-most, most], log: false, words: ["in", "out"] };
    }
    case "partials":
      return { x: [20, 20_000], y: [FLOOR_DB, 0], log: true, words: ["Hz", "dB"] };
    default:
      return { x: [0, Math.max(0.05, points.at(-1)?.[0] ?? 1)], y: [FLOOR_DB, 0], log: false, words: ["s", "dB"] };
  }
}

/** A value's place along an axis, 0..1; beyond its ends, the end. */
export function shareOf(value: number, [low, high]: [number, number], log = false): number {
  const share = log ? Math.log(Math.max(value, 1e-9) / low) / Math.log(high / low) : (value - low) / (high - low);
  return Math.min(1, Math.max(0, share));
}

/** The points as they are drawn in a box: a line, or an area where levels stand over time. */
export function placed(points: readonly Point[], axes: Axes, width: number, height: number): Point[] {
  return points.map(([x, y]) => [width * shareOf(x, axes.x, axes.log), height * (1 - shareOf(y, axes.y))]);
}

const LEAST_DBFS = -96;

/** A spectrum in bands of equal width by octaves, as the outline of an area in a box. */
export function outlined(levels: readonly number[], hz: readonly [number, number], axes: Axes, width: number, height: number): Point[] {
  const octaves = Math.log(hz[1] / hz[0]);
  const points = levels.map((db, i): Point => {
    const middle = hz[0] * Math.exp((octaves * (i + 0.5)) / levels.length);
    return [width * shareOf(middle, axes.x, axes.log), height * (1 - shareOf(db, [LEAST_DBFS, 0]))];
  });
  const [first, last] = [points[0], points.at(-1)];
  return first && last ? [[first[0], height], ...points, [last[0], height]] : [];
}

export const asText = (points: readonly Point[]) => points.map(([x, y]) => `${x.toFixed(1)},${y.toFixed(1)}`).join(" ");
