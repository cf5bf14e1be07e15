/** Finding a place in the handbook. */
export interface Found {
  id: string;
  title: string;
  /** What stands about the place, the words themselves between. */
  before: string;
  match: string;
  after: string;
}

const AROUND = 48;

/** Places where all words stand on a page: where the first of them stands, a page at a time. */
export function find(pages: { id: string; title: string; text: string }[], query: string): Found[] {
  const words = query.toLowerCase().split(/\s+/).filter(Boolean);
  if (!words.length) return [];
  return pages.flatMap(({ id, title, text }) => {
    const low = text.toLowerCase();
    if (!words.every((one) => low.includes(one))) return [];
    // together where they stand together
    const whole = low.indexOf(words.join(" "));
    const at = whole >= 0 ? whole : low.indexOf(words[0]!);
    const end = at + (whole >= 0 ? words.join(" ").length : words[0]!.length);
    const clean = (part: string) => part.replace(/\s+/g, " ");
    return {
      id,
      title,
      before: clean(text.slice(Math.max(0, at - AROUND), at)),
      match: text.slice(at, end),
      after: clean(text.slice(end, end + AROUND)),
    };
  });
}
