import { expect, it } from "vitest";

import type { Choice } from "../api/types";
import { matters } from "./declared";
import { ownRule } from "./scale";

const choice = (id: string, options: string[], when: Choice["when"] = null): Choice => ({
  id,
  name: id,
  options,
  default: options[0]!,
  help: "",
  group: "",
  when,
});
const by = choice("by", ["ratio", "bars"]);
const beats = choice("count", ["even", "odd"], ["by", ["bars"]]);
const odd = ownRule({ id: "swing", name: "swing", help: "", low: 0, high: 1, default: 0, when: ["count", ["odd"]] });
const all = [by, beats, odd];

it.each([
  [{ by: "ratio", count: "odd" }, [true, false, false]],
  [{ by: "bars", count: "even" }, [true, true, false]],
  [{ by: "bars", count: "odd" }, [true, true, true]],
  [{}, [true, false, false]],
])("%o", (values, expected) => {
  expect(all.map((one) => matters(one, all, values))).toEqual(expected);
});
