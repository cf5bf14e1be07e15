const MINUS = "\u2212";
export const NAMES = ["C", "C♯", "D", "D♯", "E", "F", "F♯", "G", "G♯", "A", "A♯", "B"];

/** A level in dB with a proper minus; silence where there is none. */
export function decibels(value: number | null | undefined): string {
  return value === null || value === undefined ? "silent" : value.toFixed(1).replace("-", MINUS);
}

/** Cents with a sign. */
export function cents(value: number): string {
  const whole = Math.round(value);
  return whole > 0 ? `+${whole}` : String(whole).replace("-", MINUS);
}

/** Seconds as they are said: 80 ms, 4.2 s, 3 min 20 s, 1 h 02 min. */
export function duration(seconds: number): string {
  if (seconds < 0.5) return `${seconds < 0.01 ? (1e3 * seconds).toFixed(1) : Math.round(1e3 * seconds)} ms`;
  if (seconds < 60) return `${seconds.toFixed(1)} s`;
  const whole = Math.round(seconds);
  if (whole < 3600) return `${Math.floor(whole / 60)} min ${String(whole % 60).padStart(2, "0")} s`;
  return `${Math.floor(whole / 3600)} h ${String(Math.floor((whole % 3600) / 60)).padStart(2, "0")} min`;
}

/** A rate in Hz as kHz. */
export function kilohertz(rate: number): string {
  return `${Number((rate / 1000).toFixed(3))} kHz`;
}

export function channels(count: number): string {
  return count === 1 ? "mono" : count === 2 ? "stereo" : `${count} channels`;
}

/** The MIDI note number, with a fraction, of a frequency where A4 is `a4` Hz. */
export function noteOf(hz: number, a4: number): number {
  return 69 + 12 * Math.log2(hz / a4);
}

/** The frequency of a MIDI note number where A4 is `a4` Hz. */
export function hertzOf(note: number, a4: number): number {
  return a4 * 2 ** ((note - 69) / 12);
}

/** A MIDI note number as a name, C4 = 60, with cents where it lies between keys. */
export function noteName(note: number): string {
  const nearest = Math.round(note);
  const off = Math.round(100 * (note - nearest));
  const name = `${NAMES[((nearest % 12) + 12) % 12]}${Math.floor(nearest / 12) - 1}`.replace("-", MINUS);
  return off ? `${name} ${cents(off)}` : name;
}

/** A note number from a name such as C3, F#2 +14 or a plain number; null where it is neither. */
export function parseNote(text: string): number | null {
  const clean = text.trim().replace("♯", "#").replace("♭", "b").replace(MINUS, "-");
  const match = /^([A-Ga-g])([#b]?)(-?\d)\s*(?:([+-]\s*\d+(?:\.\d+)?)\s*(?:ct|cents?)?)?$/.exec(clean);
  let note: number;
  if (match) {
    const step = { C: 0, D: 2, E: 4, F: 5, G: 7, A: 9, B: 11 }[match[1]!.toUpperCase()]!;
    const shift = match[2] === "#" ? 1 : match[2] === "b" ? -1 : 0;
    note = 12 * (Number(match[3]) + 1) + step + shift + Number((match[4] ?? "0").replace(/\s/g, "")) / 100;
  } else if (clean !== "" && Number.isFinite(Number(clean))) note = Number(clean);
  else return null;
  return note >= 0 && note <= 127 ? note : null;
}

/** A short time: 850 ms, 2.27 s. */
export function seconds(value: number): string {
  return value < 0.1 ? `${Math.round(1e3 * value)} ms` : `${value.toFixed(2)} s`;
}

const BYTE_UNITS = ["bytes", "kB", "MB", "GB", "TB"];

/** A size on disk: `4.2 MB`. */
export function bytes(count: number): string {
  const step = count < 1_000 ? 0 : Math.min(BYTE_UNITS.length - 1, Math.floor(Math.log10(count) / 3));
  const value = count / 1_000 ** step;
  return `${step === 0 || value >= 100 ? Math.round(value) : value.toFixed(1)} ${BYTE_UNITS[step]}`;
}

/** A file's name without its suffix. */
export const stem = (filename: string) => filename.replace(/(?<=.)\.[^.]*$/, "");

/** How long ago a moment was: "just now", "3 h ago", or its date. */
export function ago(moment: string, now = Date.now()): string {
  const minutes = (now - new Date(moment).getTime()) / 60_000;
  if (minutes < 1) return "just now";
  if (minutes < 60) return `${Math.floor(minutes)} min ago`;
  if (minutes < 24 * 60) return `${Math.floor(minutes / 60)} h ago`;
  return moment.slice(0, 10);
}

/** How many there are of something: "1 key", "16 keys". */
export const counted = (count: number, word: string) => `${count} ${word}${count === 1 ? "" : "s"}`;
