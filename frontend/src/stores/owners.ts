import type { Document, Settings } from "./instrument";

/** Id of the instrument itself, as an owner of settings. */
export const WHOLE = "instrument";

export type Role = "instrument" | "layer" | "modulator" | "route" | "send" | "bus" | "effect";

/** Whatever in an instrument has settings, as the core's `owners` have it. */
export interface Owner {
  id: string;
  role: Role;
  kind: string;
  name: string;
  /** Of the layer it is or belongs to. */
  petal: string | null;
  /** Id of the layer or bus it belongs to; that of the instrument where to none. */
  within: string;
  /** Where its values stand, and the JSON pointer to them. */
  values: Settings;
  path: string;
}

/** All owners of a document by their ids. */
export function ownersOf(document: Document): Map<string, Owner> {
  const found = new Map<string, Owner>();
  const add = (one: Owner): void => void found.set(one.id, one);
  add({ id: WHOLE, role: "instrument", kind: "", name: "Instrument", petal: null, within: WHOLE, values: document.settings, path: "/settings" });
  document.layers.forEach(({ id, kind, name, petal, settings, effects, sends }, i) => {
    add({ id, role: "layer", kind, name, petal, within: WHOLE, values: settings, path: `/layers/${i}/settings` });
    sends.forEach((one, j) => add({ id: one.id, role: "send", kind: "", name, petal, within: id, values: one.settings, path: `/layers/${i}/sends/${j}/settings` }));
    effects.forEach((one, j) => add({ id: one.id, role: "effect", kind: one.kind, name, petal, within: id, values: one.settings, path: `/layers/${i}/effects/${j}/settings` }));
  });
  document.modulators.forEach(({ id, kind, name, settings }, i) => add({ id, role: "modulator", kind, name, petal: null, within: WHOLE, values: settings, path: `/modulators/${i}/settings` }));
  document.routes.forEach((route, i) => add({ id: route.id, role: "route", kind: "", name: "a route", petal: null, within: WHOLE, values: route as unknown as Settings, path: `/routes/${i}` }));
  document.buses.forEach(({ id, name, settings, effects }, i) => {
    add({ id, role: "bus", kind: "", name, petal: null, within: WHOLE, values: settings, path: `/buses/${i}/settings` });
    effects.forEach((one, j) => add({ id: one.id, role: "effect", kind: one.kind, name, petal: null, within: id, values: one.settings, path: `/buses/${i}/effects/${j}/settings` }));
  });
  document.effects.forEach((one, j) => add({ id: one.id, role: "effect", kind: one.kind, name: "", petal: null, within: WHOLE, values: one.settings, path: `/effects/${j}/settings` }));
  return found;
}
