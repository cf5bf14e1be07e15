/** The engine's own family of slopes: a rise from 0 to 1, fast at first above a bend of 0 %; see core/instrument/curves.py. */
export function bent(share: number, bend: number, steepness: number): number {
  const k = (steepness * bend) / 100;
  return Math.abs(k) < 1e-4 ? share : (1 - Math.exp(-k * share)) / (1 - Math.exp(-k));
}
