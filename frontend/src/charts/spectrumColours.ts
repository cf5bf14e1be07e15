/** Levels of a spectrum as ink on the sheet, in either light. */
import { SPECTRUM_COLUMNS, SPECTRUM_ROWS } from "./tiles";

const FLOOR_DB = -120;
const STEP_DB = 0.5;

type Rgb = [number, number, number];

function rgb(colour: string): Rgb {
  const value = parseInt(colour.slice(1), 16);
  return [value >> 16, (value >> 8) & 255, value & 255];
}

/** 256 colours from `sheet` over `middle` to `ink`, for levels between two limits in dB. */
export function palette(low: number, high: number, sheet: string, middle: string, ink: string): Uint32Array {
  const stops = [rgb(sheet), rgb(middle), rgb(ink)];
  const out = new Uint32Array(256);
  for (let byte = 0; byte < 256; byte++) {
    const share = Math.min(1, Math.max(0, (FLOOR_DB + STEP_DB * byte - low) / Math.max(1, high - low)));
    const place = 2 * share;
    const [one, other] = place < 1 ? [stops[0]!, stops[1]!] : [stops[1]!, stops[2]!];
    const part = place < 1 ? place : place - 1;
    const mixed = one.map((value, i) => Math.round(value + part * (other[i]! - value)));
    out[byte] = (255 << 24) | (mixed[2]! << 16) | (mixed[1]! << 8) | mixed[0]!;
  }
  return out;
}

/** Paints tiles once for each palette. */
export class Painter {
  private painted = new WeakMap<Uint8Array, { canvas: OffscreenCanvas; colours: Uint32Array }>();

  /** A tile as a picture, low frequencies at the bottom. */
  paint(tile: Uint8Array, colours: Uint32Array): OffscreenCanvas {
    const found = this.painted.get(tile);
    if (found && found.colours === colours) return found.canvas;
    const columns = Math.max(1, Math.min(SPECTRUM_COLUMNS, tile.length / SPECTRUM_ROWS));
    const canvas = found?.canvas ?? new OffscreenCanvas(columns, SPECTRUM_ROWS);
    const context = canvas.getContext("2d")!;
    const image = context.createImageData(columns, SPECTRUM_ROWS);
    const pixels = new Uint32Array(image.data.buffer);
    for (let x = 0; x < columns; x++)
      for (let row = 0; row < SPECTRUM_ROWS; row++)
        pixels[(SPECTRUM_ROWS - 1 - row) * columns + x] = colours[tile[x * SPECTRUM_ROWS + row]!]!;
    context.putImageData(image, 0, 0);
    this.painted.set(tile, { canvas, colours });
    return canvas;
  }
}
