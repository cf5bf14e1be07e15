import type { Sampled } from "../../api/types";

/** A sample's place on the map, as shares of its width and height; up is harder. */
export interface Place {
  left: number;
  top: number;
  width: number;
  height: number;
}

/** The keys that a map shows: all that are played, a little room at the ends, first and one past the last. */
export function keysShown(notes: readonly Sampled[]): [number, number] {
  const low = Math.min(...notes.map(({ lowest }) => lowest));
  const high = Math.max(...notes.map(({ highest }) => highest)) + 1;
  return [Math.max(0, low - 1), Math.min(128, high + 1)];
}

/** Where a note lies: its keys across, its velocities up, and those that take turns in rows of one band. */
export function placeOf(note: Sampled, [low, high]: [number, number], turns: number): Place {
  const keys = high - low;
  const band = (note.hardest - note.softest + 1) / 127;
  const top = 1 - note.hardest / 127;
  return {
    left: (note.lowest - low) / keys,
    top: top + (band * note.turn) / turns,
    width: (note.highest + 1 - note.lowest) / keys,
    height: band / turns,
  };
}

/** The next note in a direction from one: the nearest that lies there. */
export function neighbour(notes: readonly Sampled[], from: Sampled, way: "left" | "right" | "up" | "down"): Sampled | undefined {
  const across = way === "left" || way === "right";
  const sign = way === "right" || way === "up" ? 1 : -1;
  // turns of a note lie one under the other, the first on top
  const rank = (one: Sampled) => (across ? one.key : one.velocity - one.turn / 16);
  const beside = notes.filter((one) => (across ? one.velocity === from.velocity && one.turn === from.turn : one.key === from.key));
  const ahead = beside.filter((one) => sign * (rank(one) - rank(from)) > 0);
  return ahead.sort((a, b) => sign * (rank(a) - rank(b)))[0];
}

/** Which keys of the piano are black. */
export const isBlack = (key: number): boolean => [1, 3, 6, 8, 10].includes(key % 12);
