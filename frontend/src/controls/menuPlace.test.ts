import { expect, it } from "vitest";

import { menuPlace } from "./menuPlace";

const window = { innerWidth: 1280, innerHeight: 800 };

it("opens below, along the side that is asked for, and ends inside the window", () => {
  const button = { left: 900, right: 960, top: 60, bottom: 90 };
  expect(menuPlace(button, "right", window)).toEqual({ right: "320px", top: "94px", maxHeight: "698px" });
  expect(menuPlace(button, "left", window)).toEqual({ left: "900px", top: "94px", maxHeight: "698px" });
});

it("opens above where there is little room below", () => {
  const button = { left: 965, right: 1015, top: 640, bottom: 660 };
  expect(menuPlace(button, "left", window)).toEqual({ left: "965px", bottom: "164px", maxHeight: "628px" });
});

it("stays below where above is no better", () => {
  const button = { left: 10, right: 60, top: 20, bottom: 40 };
  expect(menuPlace(button, "left", { innerWidth: 300, innerHeight: 200 })).toMatchObject({ top: "44px", maxHeight: "148px" });
});
