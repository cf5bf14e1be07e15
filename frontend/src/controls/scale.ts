import type { Parameter } from "../api/types";
import { noteName, parseNote } from "../theme/words";

/** Where on a rule a value lies, 0..1. */
export function toShare(p: Parameter, value: number): number {
  const share =
    p.scale === "log"
      ? Math.log(value / p.low) / Math.log(p.high / p.low)
      : ((value - p.low) / (p.high - p.low)) ** (p.scale === "cubic" ? 1 / 3 : 1);
  return Math.min(1, Math.max(0, share));
}

/** The value at a place on a rule, rounded to what can be told apart. */
export function fromShare(p: Parameter, share: number): number {
  const held = Math.min(1, Math.max(0, share));
  const raw = p.scale === "log" ? p.low * (p.high / p.low) ** held : p.low + held ** (p.scale === "cubic" ? 3 : 1) * (p.high - p.low);
  return rounded(p, raw);
}

/** A value inside the range, with as many digits as are worth showing. */
export function rounded(p: Parameter, value: number): number {
  const held = Math.min(p.high, Math.max(p.low, value));
  if (p.whole_number) return Math.round(held);
  const digits =
    p.scale === "cubic"
      ? held === 0
        ? 0
        : 2 - Math.floor(Math.log10(Math.abs(held)))
      : p.scale === "log"
        ? 3 - Math.ceil(Math.log10(Math.abs(held) || 1))
        : decimals(p) + 1;
  return Number(held.toFixed(Math.min(4, Math.max(0, digits))));
}

function decimals(p: Parameter): number {
  const span = p.high - p.low;
  return span <= 10 ? 2 : span <= 250 ? 1 : 0;
}

const UNIT_WORDS: Record<string, string> = { "/s": " a second", x: " ×", "": "" };
const MINUS = "\u2212";

/** A value with its unit, as read on a rule. */
export function spoken(p: Parameter, value: number): string {
  if (p.unit === "key") return noteName(value);
  if (p.marks && p.marks.length > 1) return betweenMarks(p.marks, value);
  // one name stands for one value only
  const named = p.marks?.find(([at]) => at === value);
  if (named) return named[1];
  if (p.unit === "ms" && value >= 1_000) return `${trimmed(value / 1_000, 2)} s`;
  const digits = p.whole_number ? 0 : p.scale !== "linear" && p.scale !== "decibel" ? (value < 1 ? 3 : value < 10 ? 1 : 0) : decimals(p);
  const number = trimmed(value, digits);
  const signed = p.sign && value > 0 && p.low === 0 ? `±${number}` : p.low < 0 && value > 0 ? `+${number}` : number;
  const unit = UNIT_WORDS[p.unit] ?? ` ${p.unit}`;
  return signed.replace("-", MINUS) + unit;
}

/** A value among named ones: a name, or how far it is from one to the next. */
function betweenMarks(marks: [number, string][], value: number): string {
  const above = Math.max(
    1,
    marks.findIndex(([at]) => at >= value),
  );
  const [low, from] = marks[above - 1]!;
  const [high, to] = marks[above]!;
  const share = Math.round((100 * (value - low)) / (high - low));
  return share <= 0 ? from : share >= 100 ? to : `${from} to ${to} ${share} %`;
}

function trimmed(value: number, digits: number): string {
  return String(Number(value.toFixed(digits)) || 0);
}

/** A typed value in the parameter's unit; null where it is not a number. */
export function typed(p: Parameter, text: string): number | null {
  if (p.unit === "key") return parseNote(text);
  const named = p.marks?.find(([, word]) => word === text.trim().toLowerCase());
  if (named) return named[0];
  const clean = text.replace(MINUS, "-").replace(",", ".").replace("±", "").trim().toLowerCase();
  const match = /^([+-]?\d*\.?\d+)\s*([a-z%/×]*)/.exec(clean);
  if (!match?.[1]) return null;
  let value = Number(match[1]);
  if (p.unit === "ms" && match[2] === "s") value *= 1_000;
  if (p.unit === "Hz" && match[2]?.startsWith("k")) value *= 1_000;
  return rounded(p, value);
}

/** Values worth a mark: 1-2-5 steps on a log rule, round steps on a straight one. */
export function graduations(p: Parameter): { share: number; long: boolean }[] {
  if (p.marks && p.marks.length > 1) return p.marks.map(([value]) => ({ share: toShare(p, value), long: true }));
  const values = p.scale === "log" ? logSteps(p) : p.scale === "cubic" ? cubicSteps(p) : evenSteps(p);
  return values.map(({ value, long }) => ({ share: toShare(p, value), long }));
}

function logSteps(p: Parameter): { value: number; long: boolean }[] {
  const out = [];
  for (let decade = Math.floor(Math.log10(p.low)); decade <= Math.log10(p.high); decade++)
    for (const step of [1, 2, 5]) {
      const value = step * 10 ** decade;
      if (value >= p.low && value <= p.high) out.push({ value, long: step === 1 });
    }
  return out;
}

/** Decades below the high end, which a cubic rule gives most of its length. */
function cubicSteps(p: Parameter): { value: number; long: boolean }[] {
  const out = [{ value: p.low, long: true }];
  for (let value = 10 ** Math.floor(Math.log10(p.high)); out.length < 4; value /= 10) out.push({ value, long: false });
  return [...out, { value: p.high, long: true }];
}

function evenSteps(p: Parameter): { value: number; long: boolean }[] {
  const span = p.high - p.low;
  const step = p.unit === "st" ? 12 : niceStep(span / 8);
  const out = [];
  for (let k = Math.ceil(p.low / step); k * step <= p.high + 1e-9; k++)
    out.push({ value: k * step, long: k === 0 || k * step === p.high || k * step === p.low });
  return out;
}

function niceStep(rough: number): number {
  const decade = 10 ** Math.floor(Math.log10(rough));
  return ([1, 2, 2.5, 5, 10].find((step) => step * decade >= rough) ?? 10) * decade;
}

/** A rule that a screen has of its own, for what is no setting of the document. */
export function ownRule(given: Pick<Parameter, "id" | "name" | "help" | "low" | "high" | "default"> & Partial<Parameter>): Parameter {
  const plain = { group: "", unit: "", scale: "linear", scope: "whole", whole_number: false, movable: false, sign: false } as const;
  return { ...plain, marks: [], when: null, instant: false, ...given };
}

/** How far a route moves a parameter, as a rule of its own in the unit that movement adds in. */
export function depthRule(p: Parameter, words: { id: string; name: string; help: string }): Parameter {
  const log = p.scale === "log";
  const reach = log ? Math.ceil(Math.log2(p.high / p.low)) : p.scale === "decibel" ? 36 : p.high - p.low;
  return {
    ...p,
    ...words,
    group: "Route",
    unit: log ? "oct" : p.unit,
    low: -reach,
    high: reach,
    default: 0,
    scale: "linear",
    whole_number: false,
    movable: false,
    sign: false,
    marks: [],
  };
}
