/** What is known of a recording beside its sound: the field, its name, and the most that it holds. */
export const ABOUT = [
  { field: "collection", name: "Collection", most: 80 },
  { field: "notes", name: "Notes", most: 2_000 },
  { field: "place", name: "Place", most: 200 },
  { field: "date", name: "Date", most: 40 },
  { field: "recordist", name: "Recorded by", most: 200 },
  { field: "licence", name: "Licence", most: 200 },
] as const;

export type AboutField = (typeof ABOUT)[number]["field"];
