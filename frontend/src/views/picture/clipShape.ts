/** What a clip looks like: its outline, fades and level as points of a picture 1 wide and 1 high. */
import type { ClipOutline, TimelineClip } from "../../api/types";

const MIDDLE = 0.5;
const REACH = 0.46;
const COLUMNS = 240;

type Curve = TimelineClip["curve_in"];

/** Gains of a rising fade at a share of it, as they are mixed. */
export function rising(share: number, curve: Curve): number {
  const x = Math.min(1, Math.max(0, share));
  if (curve === "equal power") return Math.sin((Math.PI / 2) * x);
  if (curve === "slow start") return x * x;
  return curve === "slow end" ? 1 - (1 - x) ** 2 : x;
}

const faded = (time: number, length: number, curve: Curve) => (length > 0 ? rising(time / length, curve) : 1);

/** The level that is drawn over a clip, in dB, so many seconds after it begins. */
export function levelAt(clip: TimelineClip, time: number): number {
  const { levels } = clip;
  const next = levels.findIndex((one) => one.at >= time);
  if (!levels.length) return 0;
  if (next <= 0) return (next === 0 ? levels[0] : levels.at(-1))!.db;
  const [a, b] = [levels[next - 1]!, levels[next]!];
  return a.db + ((b.db - a.db) * (time - a.at)) / Math.max(1e-9, b.at - a.at);
}

/** Lowest and highest sample as the clip plays them, as points of a polygon. */
export function outlineOf(clip: TimelineClip, outline: ClipOutline, loudest: number): string {
  const pairs = outline.pairs.length / 2;
  if (!pairs) return "";
  const top: string[] = [];
  const bottom: string[] = [];
  for (let i = 0; i <= COLUMNS; i++) {
    const time = (i / COLUMNS) * clip.seconds;
    const column = Math.floor(((clip.offset + time) / outline.seconds) * pairs);
    const inside = column >= 0 && column < pairs;
    const level =
      10 ** (levelAt(clip, time) / 20) *
      faded(time, clip.fade_in, clip.curve_in) *
      faded(clip.seconds - time, clip.fade_out, clip.curve_out);
    const scale = (REACH * level) / Math.max(1, loudest);
    const [low, high] = inside ? [outline.pairs[2 * column]!, outline.pairs[2 * column + 1]!] : [0, 0];
    top.push(`${(i / COLUMNS).toFixed(4)},${Math.max(0, MIDDLE - high * scale - 0.004).toFixed(4)}`);
    bottom.push(`${(i / COLUMNS).toFixed(4)},${Math.min(1, MIDDLE - low * scale + 0.004).toFixed(4)}`);
  }
  return [...top, ...bottom.reverse()].join(" ");
}

const [HIGHEST_DB, LOWEST_DB] = [12, -36];
/** How high a level stands in the picture, 0 at the top. */
export const heightOf = (db: number): number => Math.min(1, Math.max(0, (HIGHEST_DB - db) / (HIGHEST_DB - LOWEST_DB)));
export const decibelsAt = (height: number): number => HIGHEST_DB - height * (HIGHEST_DB - LOWEST_DB);

/** The drawn level as points of a line. */
export function levelLine(clip: TimelineClip): string {
  const points = clip.levels.map((one) => [one.at / clip.seconds, heightOf(one.db)] as const);
  const [first, last] = [points[0]?.[1] ?? heightOf(0), points.at(-1)?.[1] ?? heightOf(0)];
  return [[0, first] as const, ...points.filter(([x]) => x >= 0 && x <= 1), [1, last] as const]
    .map(([x, y]) => `${x.toFixed(4)},${y.toFixed(4)}`)
    .join(" ");
}
