/** Timecode as it is shown (SMPTE ST 12-1), and the graduations of a ruler; what is typed is read by the server. */

const NOMINAL: Record<string, number> = { "23.976": 24, "29.97": 30, "59.94": 60 };

/** Frames a second, as they count and as they pass. */
export const nominalOf = (rate: string): number => NOMINAL[rate] ?? Number(rate);
export const exactOf = (rate: string): number => (rate in NOMINAL ? (NOMINAL[rate]! * 1_000) / 1_001 : Number(rate));

/** The timecode of a frame counted from midnight. */
export function timecodeOf(frame: number, rate: string, drop: boolean): string {
  const nominal = nominalOf(rate);
  const dropped = drop ? nominal / 15 : 0;
  const day = 86_400 * nominal - dropped * 1_296;
  let number = ((frame % day) + day) % day;
  if (dropped) {
    const minute = 60 * nominal - dropped;
    const tens = Math.floor(number / (10 * minute + dropped));
    const rest = number % (10 * minute + dropped);
    number += dropped * (9 * tens + Math.floor(Math.max(0, rest - dropped) / minute));
  }
  const two = (value: number) => String(value).padStart(2, "0");
  const seconds = Math.floor(number / nominal);
  const clock = [Math.floor(seconds / 3_600), Math.floor(seconds / 60) % 60, seconds % 60].map(two).join(":");
  return `${clock}${dropped ? ";" : ":"}${two(number % nominal)}`;
}

const STEPS_S = [1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 1_800, 3_600];

/** How many frames lie between two labels of a ruler that are at least `apart` pixels from one another. */
export function labelStep(rate: string, pixelsAFrame: number, apart: number): number {
  const nominal = nominalOf(rate);
  const frames = [1, 2, 5, nominal / 2].filter(Number.isInteger);
  const steps = [...frames, ...STEPS_S.map((one) => one * nominal)];
  return steps.find((step) => step * pixelsAFrame >= apart) ?? steps.at(-1)!;
}
