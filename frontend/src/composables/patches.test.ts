import { applyPatch, deepClone } from "fast-json-patch";
import { describe, expect, it } from "vitest";

import { changeOf, type Patch, patched, valueAt } from "./patches";

const document = () => ({
  name: "Reeds",
  settings: { level: 0 },
  layers: [
    { id: "l1", settings: { size: 80 }, sounds: [{ root: 57 }] },
    { id: "l2", settings: { size: 90 }, sounds: [] },
  ],
});

/** RFC 6902, appendix A: one of each operation, and several that meet in one place. */
const PATCHES: Patch[] = [
  [{ op: "replace", path: "/layers/0/settings/size", value: 99 }],
  [{ op: "add", path: "/layers/1", value: { id: "l3", settings: {}, sounds: [] } }],
  [
    { op: "add", path: "/layers/-", value: { id: "l3", settings: { size: 1 }, sounds: [] } },
    { op: "replace", path: "/layers/2/settings/size", value: 2 },
  ],
  [{ op: "remove", path: "/layers/0" }],
  [{ op: "move", from: "/layers/1", path: "/layers/0" }],
  [
    { op: "copy", from: "/layers/0/settings", path: "/layers/1/settings" },
    { op: "replace", path: "/layers/1/settings/size", value: 5 },
  ],
  [{ op: "replace", path: "/name", value: "a/b~c" }],
];

describe("a patched document", () => {
  it.each(PATCHES.map((patch) => [JSON.stringify(patch), patch] as const))("is what the library makes of a whole copy: %s", (_, patch) => {
    const before = document();
    const expected = applyPatch(deepClone(before), deepClone(patch)).newDocument;
    expect(patched(before, patch)).toEqual(expected);
    expect(before).toEqual(document());
  });

  it("shares what it does not touch", () => {
    const before = document();
    const after = patched(before, PATCHES[0]!);
    expect(after.layers[1]).toBe(before.layers[1]);
    expect(after.layers[0]!.sounds).toBe(before.layers[0]!.sounds);
    expect(after.layers[0]).not.toBe(before.layers[0]);
  });

  it("does not share what came with the patch", () => {
    const value = { id: "l3", settings: { size: 1 }, sounds: [] };
    const after = patched(document(), [{ op: "add", path: "/layers/-", value }]);
    expect(after.layers[2]).toEqual(value);
    expect(after.layers[2]).not.toBe(value);
  });
});

it("reads a value by an escaped pointer", () => {
  expect(valueAt({ "a/b": { "c~d": 3 } }, "/a~1b/c~0d")).toBe(3);
  expect(valueAt({}, "/a/b")).toBeUndefined();
});

it("says a change of a copy as a patch", () => {
  const before = document();
  const patch = changeOf(before, (copy) => (copy.settings.level = -6));
  expect(patch).toEqual([{ op: "replace", path: "/settings/level", value: -6 }]);
  expect(before.settings.level).toBe(0);
});

it("replaces a part as a whole where very much of it changes", () => {
  const before = { named: "a", decisions: Object.fromEntries(Array.from({ length: 600 }, (_, i) => [String(i), { kept: true }])) };
  const after = { named: "b", decisions: {} };
  const patch = changeOf(before, (copy) => Object.assign(copy, after));
  expect(patch).toHaveLength(2);
  expect(patched(before, patch)).toEqual(after);
});
