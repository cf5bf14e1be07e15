import { describe, expect, it } from "vitest";

import { find } from "./handbookSearch";

const PAGES = [
  { id: "bench", title: "Bench", text: "Find loops ranks places.\nThe seam is shown enlarged." },
  { id: "takes", title: "Takes", text: "Loops are found in takes, too." },
];

describe("finding in the handbook", () => {
  it("finds pages that have all words, and shows where", () => {
    expect(find(PAGES, "loops").map(({ id }) => id)).toEqual(["bench", "takes"]);
    const [only] = find(PAGES, "seam loops");
    expect(only).toMatchObject({ id: "bench", match: "seam", before: "Find loops ranks places. The ", after: " is shown enlarged." });
    expect(find(PAGES, "find LOOPS")[0]!.match).toBe("Find loops");
  });

  it("finds nothing for nothing", () => {
    expect(find(PAGES, "  ")).toEqual([]);
    expect(find(PAGES, "reverb")).toEqual([]);
  });
});
