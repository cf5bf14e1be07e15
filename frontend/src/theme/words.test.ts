import { expect, it } from "vitest";

import { bytes, cents, decibels, duration, noteName, parseNote } from "./words";

it.each([
  [0, "0 bytes"],
  [999, "999 bytes"],
  [1_000, "1.0 kB"],
  [4_210_000, "4.2 MB"],
  [250_000_000, "250 MB"],
  [12e9, "12.0 GB"],
])("says %i bytes as %s", (count, words) => {
  expect(bytes(count)).toBe(words);
});

/** MIDI 1.0 and ISO 16: note 60 is C4 and 69 is A4 = 440 Hz. */
it.each([
  [60, "C4"],
  [69, "A4"],
  [57, "A3"],
  [0, "C\u22121"],
])("calls note %i %s, and reads it back", (note, name) => {
  expect(noteName(note)).toBe(name);
  expect(parseNote(name)).toBe(note);
});

it("reads notes however they are typed, and nothing else", () => {
  expect(["c4", "C#4", "db4", "C\u266f4"].map(parseNote)).toEqual([60, 61, 61, 61]);
  expect(["", "H4", "C99", "128"].map(parseNote)).toEqual([null, null, null, null]);
});

it("says levels, cents and lengths with their signs", () => {
  expect(decibels(-23.04)).toBe("\u221223.0");
  expect(cents(-13.6)).toMatch(/\u221214/);
  expect(duration(61.2)).toBe("1 min 01 s");
});
