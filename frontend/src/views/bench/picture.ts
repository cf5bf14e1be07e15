/** Drawing the Bench's picture on a canvas: waveform over spectrogram, pitch on top. */
import type { PiecesFound, Pitch } from "../../api/types";
import { frequencyShare } from "../../charts/axes";
import type { Painter } from "../../charts/spectrumColours";
import { type Axis, SPECTRUM_COLUMNS, SPECTRUM_ROWS, type Tiles } from "../../charts/tiles";

export interface Shown {
  key: string;
  frames: number;
  rate: number;
  /** First and last frame in view. */
  from: number;
  to: number;
}

export interface Area {
  top: number;
  height: number;
  width: number;
}

type Pen = CanvasRenderingContext2D;

/** Horizontal place of a frame, in pixels. */
export const xOf = (shown: Shown, width: number, frame: number): number => ((frame - shown.from) / (shown.to - shown.from)) * width;

/** The waveform; `loudest` is the sample value that fills the height of the whole. */
export function drawWaveform(pen: Pen, tiles: Tiles, shown: Shown, area: Area, colour: string, loudest: number): void {
  const perPixel = (shown.to - shown.from) / area.width;
  const middle = area.top + area.height / 2;
  const parts = tiles.wave(shown.key, shown.frames, shown.from, shown.to, perPixel).map((part) => {
    const { tile, first, step } = part;
    const low = Math.max(0, Math.floor((shown.from - first) / step) - 1);
    const high = Math.min(tile.length / 2 - 1, Math.ceil((shown.to - first) / step) + 1);
    return { tile, step, low, high, x: (i: number) => xOf(shown, area.width, first + i * step) };
  });
  // far in, a quiet place is drawn as large as a loud one
  const top = perPixel < CLOSE ? Math.max(0.02 * loudest, ...parts.map(({ tile, low, high }) => highest(tile, low, high))) : loudest;
  const scale = (area.height * 0.47) / Math.max(top, 1e-3) / FULL;
  const y = (value: number) => middle - value * scale;
  pen.fillStyle = pen.strokeStyle = colour;
  pen.lineWidth = 1.2;
  let joint: [number, number] | null = null;
  for (const part of parts) {
    if (part.high < part.low) continue;
    if (part.step > 1) fillColumns(pen, part, y);
    else joint = strokeSamples(pen, part, y, joint, perPixel < 1 / 6);
  }
}

const FULL = 32_767;
const CLOSE = 24;
const JOIN = 0.8;

interface Columns {
  tile: Int16Array;
  low: number;
  high: number;
  x: (column: number) => number;
}

function highest(tile: Int16Array, low: number, high: number): number {
  let found = 0;
  for (let i = 2 * low; i <= 2 * high + 1; i++) found = Math.max(found, Math.abs(tile[i]!));
  return found / FULL;
}

function fillColumns(pen: Pen, { tile, low, high, x }: Columns, y: (value: number) => number): void {
  const least = 0.5;
  const upper = (i: number) => Math.min(y(tile[2 * i + 1]!), y(0) - least);
  const lower = (i: number) => Math.max(y(tile[2 * i]!), y(0) + least);
  pen.beginPath();
  for (let i = low; i <= high; i++) pen.lineTo(x(i), upper(i));
  // a column reaches to the next one, and a little over the edge of a tile so that none shows
  pen.lineTo(x(high + 1) + JOIN, upper(high));
  pen.lineTo(x(high + 1) + JOIN, lower(high));
  for (let i = high; i >= low; i--) pen.lineTo(x(i), lower(i));
  pen.closePath();
  pen.fill();
}

function strokeSamples(
  pen: Pen,
  { tile, low, high, x }: Columns,
  y: (value: number) => number,
  joint: [number, number] | null,
  dots: boolean,
): [number, number] {
  pen.beginPath();
  if (joint) pen.moveTo(...joint);
  for (let i = low; i <= high; i++) pen.lineTo(x(i), y(tile[2 * i]!));
  pen.stroke();
  if (dots) for (let i = low; i <= high; i++) pen.fillRect(x(i) - 1.5, y(tile[2 * i]!) - 1.5, 3, 3);
  return [x(high), y(tile[2 * high]!)];
}

export function drawSpectrum(pen: Pen, tiles: Tiles, painter: Painter, colours: Uint32Array, axis: Axis, shown: Shown, area: Area): void {
  const perPixel = (shown.to - shown.from) / area.width;
  for (const { tile, first, step } of tiles.spectrum(shown.key, axis, shown.frames, shown.from, shown.to, perPixel)) {
    const columns = Math.min(SPECTRUM_COLUMNS, tile.length / SPECTRUM_ROWS);
    const x = xOf(shown, area.width, first - step / 2);
    const w = (columns * step * area.width) / (shown.to - shown.from);
    pen.drawImage(painter.paint(tile, colours), 0, 0, columns, SPECTRUM_ROWS, x, area.top, w + 0.6, area.height);
  }
}

export interface Partials {
  tracks: { at: number; step: number; hz: number[]; db: number[] }[];
  /** When strikes begin, and how long they last, in seconds. */
  strikes: [number, number][];
  /** Where in the recording the stretch begins that was taken apart. */
  start: number;
}

/** Partials as lines, the loud ones darker; strikes as ticks along the top. */
export function drawPartials(pen: Pen, partials: Partials, shown: Shown, area: Area, axis: Axis, colour: string, strike: string): void {
  const x = (at: number) => xOf(shown, area.width, (partials.start + at) * shown.rate);
  const loudest = Math.max(-120, ...partials.tracks.map(({ db }) => Math.max(...db)));
  pen.strokeStyle = colour;
  pen.lineJoin = "round";
  for (const { at, step, hz, db } of partials.tracks) {
    if (x(at + step * hz.length) < 0 || x(at) > area.width) continue;
    const loud = Math.max(0, 1 + (Math.max(...db) - loudest) / 60);
    pen.globalAlpha = 0.35 + 0.65 * loud;
    pen.lineWidth = 0.8 + 1.4 * loud;
    pen.beginPath();
    hz.forEach((one, i) => pen.lineTo(x(at + i * step), area.top + area.height * (1 - frequencyShare(one, shown.rate, axis))));
    pen.stroke();
  }
  pen.globalAlpha = 1;
  pen.fillStyle = strike;
  for (const [at, seconds] of partials.strikes) pen.fillRect(x(at), area.top, Math.max(2, x(at + seconds) - x(at)), 6);
}

export function drawPitch(pen: Pen, pitch: Pitch, shown: Shown, area: Area, axis: Axis, colour: string): void {
  pen.strokeStyle = colour;
  pen.lineWidth = 2;
  pen.lineJoin = "round";
  pen.beginPath();
  let drawing = false;
  let last = 0;
  pitch.hz.forEach((hz, i) => {
    // a leap is no glide: the line begins anew
    if (hz === null || (drawing && Math.abs(Math.log2(hz / last)) > 0.25)) drawing = false;
    if (hz === null) return;
    const x = xOf(shown, area.width, (pitch.start + i * pitch.hop) * shown.rate);
    const y = area.top + area.height * (1 - frequencyShare(hz, shown.rate, axis));
    if (drawing) pen.lineTo(x, y);
    else pen.moveTo(x, y);
    drawing = true;
    last = hz;
  });
  pen.stroke();
}

/** The curve that onsets are picked from, and what it has to pass. */
export function drawOnsetStrength(pen: Pen, onsets: PiecesFound, shown: Shown, area: Area, ink: string, bar: string): void {
  const highest = Math.max(0.15, ...onsets.strength);
  // in the lower third, so that the spectrum stays in sight
  const y = (value: number) => area.top + area.height * (1 - (0.36 * value) / highest);
  const x = (i: number) => xOf(shown, area.width, i * onsets.hop * shown.rate);
  pen.lineWidth = 1;
  for (const [values, colour] of [
    [onsets.strength, ink],
    [onsets.threshold, bar],
  ] as const) {
    pen.strokeStyle = colour;
    pen.beginPath();
    values.forEach((value, i) => pen.lineTo(x(i), y(value)));
    pen.stroke();
  }
}
