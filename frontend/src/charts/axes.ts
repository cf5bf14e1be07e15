/** Graduations of time and frequency. */

export interface Mark {
  at: number;
  word: string;
}

const STEPS = [
  1e-5, 2e-5, 5e-5, 1e-4, 2e-4, 5e-4, 1e-3, 2e-3, 5e-3, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 30, 60, 120, 300, 600, 1200, 1800,
  3600,
];

/** Round moments in seconds between two, about `most` of them. */
export function timeMarks(from: number, to: number, most: number): Mark[] {
  const step = STEPS.find((one) => (to - from) / one <= most) ?? 7200;
  const out = [];
  for (let k = Math.ceil(from / step - 1e-9); k * step <= to + 1e-12; k++) out.push({ at: k * step, word: moment(k * step, step) });
  return out;
}

/** A moment as it is said with steps of a size: 4.2 s, 1:02.5, 12.35 ms beyond the second. */
export function moment(seconds: number, step = 0.01): string {
  const digits = Math.max(0, Math.min(5, -Math.floor(Math.log10(step) + 1e-9)));
  if (seconds < 60) return `${seconds.toFixed(digits)} s`;
  const minutes = Math.floor(seconds / 60);
  const rest = (seconds - 60 * minutes).toFixed(digits).padStart(digits ? digits + 3 : 2, "0");
  if (minutes < 60) return `${minutes}:${rest}`;
  return `${Math.floor(minutes / 60)}:${String(minutes % 60).padStart(2, "0")}:${rest}`;
}

const LOWEST_HZ = 20;

/** Where a frequency lies on the axis, 0 at the bottom to 1. */
export function frequencyShare(hz: number, rate: number, axis: "log" | "linear"): number {
  const top = rate / 2;
  return axis === "linear" ? hz / top : Math.log(hz / LOWEST_HZ) / Math.log(top / LOWEST_HZ);
}

/** The frequency at a place on the axis. */
export function frequencyAt(share: number, rate: number, axis: "log" | "linear"): number {
  const top = rate / 2;
  return axis === "linear" ? share * top : LOWEST_HZ * (top / LOWEST_HZ) ** share;
}

/** Frequencies worth a word. */
export function frequencyMarks(rate: number, axis: "log" | "linear"): Mark[] {
  const top = rate / 2;
  const values = axis === "log" ? [50, 100, 200, 500, 1_000, 2_000, 5_000, 10_000, 20_000, 40_000] : linear(top);
  return values.filter((hz) => hz < 0.97 * top).map((hz) => ({ at: hz, word: hz >= 1_000 ? `${hz / 1_000} k` : `${hz} Hz` }));
}

function linear(top: number): number[] {
  const step = top > 30_000 ? 10_000 : top > 12_000 ? 4_000 : 2_000;
  return Array.from({ length: Math.floor(top / step) }, (_, i) => (i + 1) * step);
}
