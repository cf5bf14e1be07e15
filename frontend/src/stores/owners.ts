import type { Instrument, Settings } from "../api/types";

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
  values: Settings;
  /** JSON pointer to where its values stand. */
  path: string;
}

interface WithSettings {
  id: string;
  settings: Settings;
}
interface OfKind extends WithSettings {
  kind: string;
}
interface Named extends WithSettings {
  name: string;
}

/** What of an instrument is looked at to find its owners. */
interface Owning {
  settings: Settings;
  layers: (OfKind & Named & { petal: string | null; effects: OfKind[]; sends: WithSettings[] })[];
  modulators: (OfKind & Named)[];
  routes: Pick<Instrument["routes"][number], "id" | "depth" | "amount" | "rise" | "fall">[];
  buses: (Named & { effects: OfKind[] })[];
  effects: OfKind[];
}

const LOOSE = { kind: "", petal: null, within: WHOLE };

/** All owners of a document by their ids. */
export function ownersOf(document: Owning): Map<string, Owner> {
  const found = new Map<string, Owner>();
  const add = (one: Owner): void => void found.set(one.id, one);
  const addEffects = (effects: OfKind[], within: { within: string; petal: string | null; name: string }, path: string) =>
    effects.forEach(({ id, kind, settings }, j) =>
      add({ id, role: "effect", kind, ...within, values: settings, path: `${path}/${j}/settings` }),
    );
  add({ ...LOOSE, id: WHOLE, role: "instrument", name: "Instrument", values: document.settings, path: "/settings" });
  document.layers.forEach(({ id, kind, name, petal, settings, effects, sends }, i) => {
    const inside = { name, petal, within: id };
    add({ ...LOOSE, id, role: "layer", kind, name, petal, values: settings, path: `/layers/${i}/settings` });
    sends.forEach((one, j) =>
      add({ ...inside, id: one.id, role: "send", kind: "", values: one.settings, path: `/layers/${i}/sends/${j}/settings` }),
    );
    addEffects(effects, inside, `/layers/${i}/effects`);
  });
  document.modulators.forEach(({ id, kind, name, settings }, i) =>
    add({ ...LOOSE, id, role: "modulator", kind, name, values: settings, path: `/modulators/${i}/settings` }),
  );
  document.routes.forEach(({ id, depth, amount, rise, fall }, i) =>
    add({ ...LOOSE, id, role: "route", name: "a route", values: { depth, amount, rise, fall }, path: `/routes/${i}` }),
  );
  document.buses.forEach(({ id, name, settings, effects }, i) => {
    add({ ...LOOSE, id, role: "bus", name, values: settings, path: `/buses/${i}/settings` });
    addEffects(effects, { name, petal: null, within: id }, `/buses/${i}/effects`);
  });
  addEffects(document.effects, { name: "", petal: null, within: WHOLE }, "/effects");
  return found;
}
