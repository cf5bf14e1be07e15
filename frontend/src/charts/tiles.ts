/** Pieces of a sound's pictures at octave-spaced zoom levels, fetched as they come into view. */

export const WAVE_COLUMNS = 512;
export const SPECTRUM_COLUMNS = 256;
export const SPECTRUM_ROWS = 256;
const LEAST_SPECTRUM_LEVEL = 3;
const MOST_LEVEL = 26;
const MOST_KEPT = 600;

export type Axis = "log" | "linear";

class Fetched<T> {
  private kept = new Map<string, T | null>();

  constructor(
    private read: (buffer: ArrayBuffer) => T,
    private arrived: () => void,
  ) {}

  /** A tile if it is at hand; otherwise it is asked for, and `arrived` is called later. */
  get(url: string): T | null {
    const found = this.kept.get(url);
    if (found !== undefined) return found;
    this.kept.set(url, null);
    if (this.kept.size > MOST_KEPT) this.kept.delete(this.kept.keys().next().value as string);
    fetch(url)
      .then(async (answer) => {
        if (!answer.ok) throw new Error(String(answer.status));
        this.kept.set(url, this.read(await answer.arrayBuffer()));
        this.arrived();
      })
      .catch(() => this.kept.delete(url));
    return null;
  }

  /** A tile only if it is at hand. */
  peek(url: string): T | null {
    return this.kept.get(url) ?? null;
  }
}

export interface Part<T> {
  tile: T;
  /** First frame and frames a column. */
  first: number;
  step: number;
}

/** Waveform and spectrum tiles of all sounds on one picture. */
export class Tiles {
  private waves: Fetched<Int16Array>;
  private spectra: Fetched<Uint8Array>;

  constructor(arrived: () => void) {
    this.waves = new Fetched((buffer) => new Int16Array(buffer), arrived);
    this.spectra = new Fetched((buffer) => new Uint8Array(buffer), arrived);
  }

  /** Parts that cover a stretch, from coarser tiles where finer ones are still on their way. */
  wave(key: string, frames: number, from: number, to: number, perPixel: number): Part<Int16Array>[] {
    const level = Math.max(0, Math.min(MOST_LEVEL, Math.floor(Math.log2(Math.max(1, perPixel)))));
    const url = (l: number, i: number) => `/api/sounds/${key}/wave/${l}/${i}`;
    return covering(this.waves, url, level, MOST_LEVEL, WAVE_COLUMNS, frames, from, to);
  }

  spectrum(key: string, axis: Axis, frames: number, from: number, to: number, perPixel: number): Part<Uint8Array>[] {
    const wanted = Math.round(Math.log2(Math.max(1, perPixel)));
    const level = Math.max(LEAST_SPECTRUM_LEVEL, Math.min(MOST_LEVEL, wanted));
    const url = (l: number, i: number) => `/api/sounds/${key}/spectrum/${axis}/${l}/${i}`;
    return covering(this.spectra, url, level, MOST_LEVEL, SPECTRUM_COLUMNS, frames, from, to);
  }
}

function covering<T>(
  fetched: Fetched<T>,
  url: (level: number, index: number) => string,
  level: number,
  most: number,
  columns: number,
  frames: number,
  from: number,
  to: number,
): Part<T>[] {
  const out: Part<T>[] = [];
  const span = columns * 2 ** level;
  const last = Math.min(Math.floor((Math.min(to, frames) - 1) / span), Math.floor((frames - 1) / span));
  for (let index = Math.max(0, Math.floor(from / span)); index <= last; index++) {
    const tile = fetched.get(url(level, index));
    if (tile) out.push({ tile, first: index * span, step: 2 ** level });
    else {
      const coarse = coarser(fetched, url, level, most, columns, index);
      if (coarse && !out.some((one) => one.first === coarse.first && one.step === coarse.step)) out.unshift(coarse);
    }
  }
  return out;
}

function coarser<T>(
  fetched: Fetched<T>,
  url: (level: number, index: number) => string,
  level: number,
  most: number,
  columns: number,
  index: number,
): Part<T> | null {
  for (let up = 1; level + up <= most && up <= 12; up++) {
    const above = index >> up;
    const tile = fetched.peek(url(level + up, above));
    if (tile) return { tile, first: above * columns * 2 ** (level + up), step: 2 ** (level + up) };
  }
  return null;
}
