const COLOURS = ["madder", "ochre", "lichen", "iris", "moss", "heather", "clay", "slate"];

/** The colour of a lane, as a token of the theme. */
export const laneColour = (index: number): string => COLOURS[index % COLOURS.length]!;
