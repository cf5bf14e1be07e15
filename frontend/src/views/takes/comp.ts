/** Which of several passes over one backing is heard from which moment on. */
export interface CompPart {
  take: number;
  start: number;
}

const LEAST_S = 0.05;

/** From a moment on another pass is heard, until where the next part begins. */
export function heardFrom(parts: readonly CompPart[], take: number, at: number): CompPart[] {
  const start = at < LEAST_S ? 0 : at;
  const others = parts.filter((one) => Math.abs(one.start - start) >= LEAST_S);
  const all = [...others, { take, start }].sort((a, b) => a.start - b.start);
  // two parts of one pass that follow each other are one
  return all.filter((one, i) => i === 0 || one.take !== all[i - 1]!.take);
}

/** Stretches of one pass that are heard. */
export function stretchesOf(parts: readonly CompPart[], take: number, end: number): { start: number; end: number }[] {
  return parts.flatMap((one, i) => (one.take === take ? [{ start: one.start, end: Math.min(end, parts[i + 1]?.start ?? end) }] : []));
}
