/** What is known of where a recording came from. */
export const ORIGIN: { field: "notes" | "place" | "date" | "recordist" | "licence"; name: string }[] = [
  { field: "notes", name: "Notes" },
  { field: "place", name: "Place" },
  { field: "date", name: "Date" },
  { field: "recordist", name: "Recorded by" },
  { field: "licence", name: "Licence" },
];
