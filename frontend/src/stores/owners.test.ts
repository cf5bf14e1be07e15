import { describe, expect, it } from "vitest";

import type { Settings } from "../api/types";
import { valueAt } from "../composables/patches";
import { ownersOf, WHOLE } from "./owners";

const effect = (id: string) => ({ id, kind: "filter", settings: { cutoff: 100 + id.length }, sound: null });
const document = {
  settings: { mode: "poly" },
  layers: [
    {
      id: "l1", name: "Wire", kind: "cloud", petal: "iris", settings: { size: 80 } as Settings,
      effects: [effect("e1")], sends: [{ id: "s1", bus: "b1", settings: { level: -6 } }],
    },
    { id: "l2", name: "Rain", kind: "noise", petal: "moss", settings: { colour: "white" }, effects: [], sends: [] },
  ],
  modulators: [{ id: "m1", kind: "lfo", name: "Slow", settings: { rate: 0.1 } }],
  routes: [{ id: "r1", source: "m:m1", target: "l1", parameter: "size", depth: 12, amount: 0, rise: 5, fall: 9 }],
  buses: [{ id: "b1", name: "Room", settings: { level: -3 }, effects: [effect("e22")] }],
  effects: [effect("e333")],
}; // oxfmt-ignore

describe("owners of settings", () => {
  const found = ownersOf(document);

  it("are all there, each under its own id", () => {
    expect([...found.keys()].sort()).toEqual(["b1", "e1", "e22", "e333", WHOLE, "l1", "l2", "m1", "r1", "s1"].sort());
  });

  it("point to where their values stand in the document", () => {
    for (const one of found.values())
      for (const [id, value] of Object.entries(one.values)) expect(valueAt(document, `${one.path}/${id}`), one.id).toBe(value);
  });

  it("know what they belong to, and whose colour they wear", () => {
    expect(found.get("e1")).toMatchObject({ within: "l1", petal: "iris", name: "Wire", role: "effect" });
    expect(found.get("s1")).toMatchObject({ within: "l1", petal: "iris", role: "send" });
    expect(found.get("e22")).toMatchObject({ within: "b1", petal: null, name: "Room" });
    expect(found.get("m1")).toMatchObject({ within: WHOLE, role: "modulator" });
  });
});
