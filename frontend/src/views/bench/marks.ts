/** What a step shows on the picture: regions and places that can be dragged. */
import type { Step } from "../../api/types";

export interface Edge {
  /** Parameter of the step that this edge sets, in seconds. */
  id: string;
  word: string;
  at: number;
}

export interface Marks {
  colour: string;
  /** What is dragged, as it is said: "the region". */
  word: string;
  edges: Edge[];
  /** Whether what lies inside the two edges is kept, and the rest drawn pale. */
  keeps: boolean;
  /** Length in seconds of fades or crossfade, drawn as slopes inside the region. */
  fadeIn: number;
  fadeOut: number;
}

const seconds = (value: unknown) => Number(value ?? 0);

/** Marks of a step on the sound it works on; null for a step that has none. */
export function marksOf(step: Step | null, duration: number): Marks | null {
  if (!step) return null;
  const end = (value: unknown) => (seconds(value) > 0 ? Math.min(seconds(value), duration) : duration);
  if (step.do === "cut")
    return {
      colour: "focus",
      word: "the region",
      keeps: true,
      edges: [
        { id: "start", word: "start", at: seconds(step.start) },
        { id: "end", word: "end", at: end(step.end) },
      ],
      fadeIn: seconds(step.fade_in) / 1e3,
      fadeOut: seconds(step.fade_out) / 1e3,
    };
  if (step.do === "loop")
    return {
      colour: "ochre",
      word: "the loop",
      keeps: false,
      edges: [
        { id: "start", word: "loop start", at: seconds(step.start) },
        { id: "end", word: "loop end", at: end(step.end) },
      ],
      fadeIn: step.direction === "backward" ? seconds(step.crossfade) / 1e3 : 0,
      fadeOut: step.direction === "forward" ? seconds(step.crossfade) / 1e3 : 0,
    };
  if (step.do === "denoise")
    return {
      colour: "iris",
      word: "the quiet stretch to learn from",
      keeps: false,
      edges: [
        { id: "start", word: "quiet from", at: seconds(step.start) },
        { id: "to", word: "quiet to", at: seconds(step.to) },
      ],
      fadeIn: 0,
      fadeOut: 0,
    };
  if (step.do === "tone" || (step.do === "stretch" && step.by === "drone"))
    return {
      colour: "madder",
      word: step.do === "tone" ? "the tone's place" : "the drone's place",
      keeps: false,
      edges: [{ id: "place", word: "place", at: seconds(step.place) }],
      fadeIn: 0,
      fadeOut: 0,
    };
  return null;
}

/** Steps whose marks lie on the recording itself rather than on what the steps before make. */
export const onRecording = (step: Step | null) => step?.do === "denoise";
