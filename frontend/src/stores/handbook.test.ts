import { createPinia, setActivePinia } from "pinia";
import { beforeEach, describe, expect, it } from "vitest";

import pages from "virtual:handbook";
import { router } from "../router";
import { useHandbook } from "./handbook";

describe("the handbook", () => {
  beforeEach(() => setActivePinia(createPinia()));

  const views = router.getRoutes().flatMap(({ name }) => (name ? [String(name)] : []));

  it.each(views)("opens at a page with a picture from %s", (view) => {
    const book = useHandbook();
    book.keys();
    book.show(view);
    expect([book.open, book.keysOpen]).toEqual([true, false]);
    expect(book.page).not.toBe("start");
    expect(pages.find(({ id }) => id === book.page)!.html).toContain("<img");
  });

  it("opens at its beginning from anywhere else", () => {
    const book = useHandbook();
    book.show("nowhere");
    expect(book.page).toBe(pages[0]!.id);
  });
});
