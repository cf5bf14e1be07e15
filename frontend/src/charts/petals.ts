/** Outlines of the petals' marks, in a box of 16 by 16: the colour is never the only sign. */
export const PETAL_MARKS: Record<string, string> = {
  madder: "M8 1 14 8 8 15 2 8Z",
  ochre: "M8 1C13 5 13 11 8 15 3 11 3 5 8 1Z",
  moss: "M8 1 15 14H1Z",
  lichen: "M4 3C8 0 14 3 14 8S8 16 4 13 1 6 4 3Z",
  iris: "M6 1C11 3 12 12 6 15 15 15 16 2 6 1Z",
  heather: "M8 1 10 6 15 8 10 10 8 15 6 10 1 8 6 6Z",
  clay: "M3 2H13V14H3Z",
  slate: "M1 8C3 2 13 2 15 8 13 14 3 14 1 8Z",
};
