/** One line of a take, drawn: its sound over what the hands did. */
import type { Lane, PlayedNote } from "../api/types";
import { drawWave, token } from "./peaks";

/** The share of a line's height that the sound takes. */
export const SOUND_SHARE = 0.68;
const LEAST_NOTE_PX = 2;
const NOTE_PX = 3;

export interface LineShown {
  from: number;
  to: number;
  peaks: Int16Array | null;
  /** Seconds of the line that the peaks are of. */
  heard: number;
  loudest: number;
  notes: readonly PlayedNote[];
  lanes: readonly Lane[];
}

/** Lowest and highest key, with room on both sides. */
export function keyRange(notes: readonly PlayedNote[]): [number, number] {
  if (!notes.length) return [48, 72];
  const keys = notes.map(({ key }) => key);
  return [Math.min(...keys) - 1, Math.max(...keys) + 1];
}

export function drawLine(pen: CanvasRenderingContext2D, line: LineShown, keys: [number, number], width: number, height: number): void {
  const high = SOUND_SHARE * height;
  const x = (at: number) => ((at - line.from) / (line.to - line.from)) * width;
  if (line.peaks) drawWave(pen, line.peaks, Math.max(1, x(line.from + line.heard)), high, token("wave-chosen"), line.loudest);
  const top = high + 4;
  const room = height - top - 3;
  pen.fillStyle = token("moss");
  for (const { start, end, key } of line.notes) {
    if (end < line.from || start > line.to) continue;
    const left = Math.max(0, x(start));
    const y = top + (1 - (key - keys[0]) / (keys[1] - keys[0])) * (room - NOTE_PX);
    pen.fillRect(left, y, Math.max(LEAST_NOTE_PX, Math.min(width, x(end)) - left), NOTE_PX);
  }
  const colours = ["iris", "heather", "clay", "slate"];
  line.lanes.forEach((lane, i) => {
    pen.strokeStyle = token(colours[i % colours.length]!);
    pen.lineWidth = 1.25;
    pen.globalAlpha = 0.85;
    pen.beginPath();
    stepsOf(lane, line.from, Math.min(line.to, line.from + line.heard)).forEach(([at, value], n) => {
      const y = top + (1 - (value - lane.low) / (lane.high - lane.low || 1)) * (room - 2) + 1;
      if (n === 0) pen.moveTo(x(at), y);
      else pen.lineTo(x(at), y);
    });
    pen.stroke();
    pen.globalAlpha = 1;
  });
}

/** A lane from one moment to another: where it stood, each move, where it is left. */
export function stepsOf(lane: Lane, from: number, to: number): [number, number][] {
  const before = lane.points.filter(([at]) => at <= from).at(-1);
  const inside = lane.points.filter(([at]) => at > from && at <= to);
  if (!before && !inside.length) return [];
  const first: [number, number][] = before ? [[from, before[1]]] : [];
  const all = [...first, ...inside.map(([at, value]): [number, number] => [at, value])];
  return [...all, [to, all.at(-1)![1]]];
}

const NICE = [2, 3, 4, 5, 6, 8, 10, 12, 15, 20, 25, 30, 40, 50, 60, 75, 90, 120, 150, 180, 240, 300, 400, 600, 900, 1_200, 1_800];

/** How many seconds a line holds, so that a take fills about so many lines. */
export function secondsALine(seconds: number, lines = 4): number {
  return NICE.find((one) => one * lines >= seconds) ?? NICE.at(-1)!;
}

/** Minutes and seconds: 1:30; with tenths where they matter. */
export function clock(at: number, tenths = false): string {
  const whole = tenths ? Math.floor(at * 10) / 10 : Math.floor(at + 1e-6);
  const rest = whole % 60;
  return `${Math.floor(whole / 60)}:${tenths ? rest.toFixed(1).padStart(4, "0") : String(rest).padStart(2, "0")}`;
}
