import { describe, expect, it } from "vitest";

import type { Step } from "../../api/types";
import { marksOf, onRecording } from "./marks";

const step = (what: Partial<Step>) => ({ on: true, ...what }) as Step;

describe("marks of a step", () => {
  it("reach to the end of the sound where no end is set, and never past it", () => {
    expect(marksOf(step({ do: "cut", start: 1, end: 0 }), 8)!.edges.map(({ at }) => at)).toEqual([1, 8]);
    expect(marksOf(step({ do: "cut", start: 1, end: 20 }), 8)!.edges.map(({ at }) => at)).toEqual([1, 8]);
  });

  it("set the parameters that they are named after", () => {
    const ids = (what: Step["do"], more = {}) => marksOf(step({ do: what, ...more }), 8)?.edges.map(({ id }) => id);
    expect(ids("loop")).toEqual(["start", "end"]);
    expect(ids("denoise")).toEqual(["start", "to"]);
    expect(ids("tone")).toEqual(["place"]);
    expect(ids("stretch", { by: "drone" })).toEqual(["place"]);
  });

  it("are none where a step has no place in time", () => {
    for (const what of ["normalise", "highpass", "reverse"] as const) expect(marksOf(step({ do: what }), 8)).toBeNull();
    expect(marksOf(step({ do: "stretch", by: "ratio" }), 8)).toBeNull();
    expect(marksOf(null, 8)).toBeNull();
  });

  it("slope where a loop crosses over: into its end forwards, into its start backwards", () => {
    const slopes = (direction: "forward" | "backward" | "back-and-forth") => {
      const { fadeIn, fadeOut } = marksOf(step({ do: "loop", start: 1, end: 2, crossfade: 80, direction }), 8)!;
      return [fadeIn, fadeOut];
    };
    expect(slopes("forward")).toEqual([0, 0.08]);
    expect(slopes("backward")).toEqual([0.08, 0]);
    expect(slopes("back-and-forth")).toEqual([0, 0]);
  });

  it("lie on the recording only where noise is learnt", () => {
    expect(onRecording(step({ do: "denoise" }))).toBe(true);
    expect(onRecording(step({ do: "cut" }))).toBe(false);
    expect(onRecording(null)).toBe(false);
  });
});
