const kept = new Map<string, Promise<Int16Array>>();
const MOST_KEPT = 200;

/** Pairs of lowest and highest sample over a share of a recording, for `columns` columns. */
export function fetchPeaks(digest: string, columns: number, start = 0, end = 1): Promise<Int16Array> {
  const query = `columns=${columns}&start=${start}&end=${end}`;
  const key = `${digest}?${query}`;
  let found = kept.get(key);
  if (!found) {
    found = fetch(`/api/sounds/${digest}/peaks?${query}`).then(async (answer) => {
      if (!answer.ok) throw new Error("There is no picture of this recording.");
      return new Int16Array(await answer.arrayBuffer());
    });
    found.catch(() => kept.delete(key));
    kept.set(key, found);
    if (kept.size > MOST_KEPT) kept.delete(kept.keys().next().value as string);
  }
  return found;
}

/** Fill a waveform into a canvas of the given size, as high as the loudest of all it is shown beside. */
export function drawWave(
  context: CanvasRenderingContext2D,
  peaks: Int16Array,
  width: number,
  height: number,
  colour: string,
  loudestOfAll = 0,
): void {
  const columns = peaks.length / 2;
  const middle = height / 2;
  let loudest = Math.max(1, loudestOfAll);
  for (const value of peaks) loudest = Math.max(loudest, Math.abs(value));
  // quiet recordings are drawn larger, so that their shape can be read
  const scale = (middle * 0.96) / Math.max(loudest, 1_600);
  const least = 0.5;
  context.fillStyle = colour;
  context.beginPath();
  for (let i = 0; i < columns; i++) {
    const y = middle - Math.max((peaks[2 * i + 1] ?? 0) * scale, least);
    context.lineTo((i / Math.max(1, columns - 1)) * width, y);
  }
  for (let i = columns - 1; i >= 0; i--) {
    const y = middle - Math.min((peaks[2 * i] ?? 0) * scale, -least);
    context.lineTo((i / Math.max(1, columns - 1)) * width, y);
  }
  context.closePath();
  context.fill();
}

/** A colour token as the canvas needs it. */
export function token(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim();
}
