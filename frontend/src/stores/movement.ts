import { defineStore } from "pinia";
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from "vue";

import { api, wanted } from "../api/client";
import { type Finding, isChoice, type Modulator, type Movement, type Parameter, type Route, type RouteReading } from "../api/types";
import { useInstrument } from "./instrument";
import { useLive } from "./live";
import { useNotices } from "./notices";
import { useProject } from "./project";

/** What the panel shows: a target and what moves it, or a modulator and what it moves. */
export type Chosen = { what: "target"; owner: string; parameter: string; route: string | null } | { what: "modulator"; id: string } | null;

const EMPTY: Movement = { revision: -1, routes: [], targets: [], sources: [], findings: [] };
const TRACE = 120;

/** What moves in the instrument in hand: sentences, bands, findings, and traces of what arrives. */
export const useMovement = defineStore("movement", () => {
  const instrument = useInstrument();
  const live = useLive();
  const project = useProject();
  const reading = shallowRef<Movement>(EMPTY);
  const chosen = ref<Chosen>(null);
  const lit = ref<string | null>(null);
  const traces = new Map<string, number[]>();
  const beat = ref(0);
  const users = ref(0);
  let asking = 0;

  const routes = computed(() => instrument.document?.routes ?? []);
  const modulators = computed(() => instrument.document?.modulators ?? []);
  const readings = computed(() => new Map(reading.value.routes.map((one) => [one.id, one])));
  const bands = computed(() => new Map(reading.value.targets.map((one) => [`${one.owner}.${one.parameter}`, one])));

  /** Ask for sentences and findings again; they are the server's words. */
  async function read(): Promise<void> {
    if (instrument.id === null) return;
    const turn = ++asking;
    try {
      const path = { instrument_id: instrument.id };
      const url = "/api/instruments/{instrument_id}/movement/reading";
      const { looks, ranges, clamped } = live.seen;
      const found = await wanted(api.POST(url, { params: { path }, body: { looks, ranges, clamped } }));
      if (turn === asking) reading.value = found;
    } catch (error) {
      useNotices().complain(error);
    }
  }

  watch(
    () => [instrument.id, instrument.revision] as const,
    ([id]) => id !== null && void read(),
    { immediate: true },
  );
  watch(
    () => instrument.id,
    () => (chosen.value = null),
  );
  watch(
    () => live.seen,
    (seen) => seen.looks > 0 && users.value > 0 && void read(),
  );
  watch(users, (count) => live.watchMovement(count > 0));
  watch(
    () => live.look.moving,
    (moving) => {
      if (!moving) return;
      const keep = (key: string, value: number): void => {
        const line = traces.get(key) ?? [];
        line.push(value);
        if (line.length > TRACE) line.shift();
        traces.set(key, line);
      };
      routes.value.forEach(({ id }, i) => keep(id, moving.routes[i] ?? 0));
      modulators.value.forEach(({ id }, i) => keep(id, moving.modulators[i]?.[0] ?? 0));
      beat.value++;
    },
  );

  /** A value that arrives now at a target, its sum and whether its range holds it. */
  function now(owner: string, parameter: string): { added: number; value: number; clamped: boolean } | null {
    const moving = live.look.moving;
    const at = moving?.keys.indexOf(`${owner}.${parameter}`) ?? -1;
    const found = at >= 0 ? moving?.targets[at] : undefined;
    return found ? { added: found[0], value: found[1], clamped: found[2] > 0.5 } : null;
  }

  function kindOf(owner: string): { name: string; petal: string | null; parameters: Parameter[] } | null {
    const found = instrument.owners.get(owner);
    if (!found) return null;
    const movable = project.declaredOf(found).filter((one): one is Parameter => !isChoice(one) && one.movable);
    const effect = found.role === "effect" ? project.catalogue.effect_kinds.find(({ id }) => id === found.kind)?.name.toLowerCase() : "";
    return { name: [found.name, effect].filter(Boolean).join(" "), petal: found.petal, parameters: movable };
  }

  /** What a target is set to. */
  function setTo(owner: string, parameter: string): number {
    return Number(instrument.owners.get(owner)?.values[parameter] ?? 0);
  }

  function ask(owner: string, parameter: string, route: string | null = null): void {
    chosen.value = { what: "target", owner, parameter, route };
  }

  function show(modulator: string): void {
    chosen.value = { what: "modulator", id: modulator };
  }

  function into(owner: string, parameter: string): Route[] {
    return routes.value.filter((one) => one.target === owner && one.parameter === parameter);
  }

  function from(modulator: string): Route[] {
    return routes.value.filter(({ source }) => source.split(":")[1] === modulator && source.startsWith("m:"));
  }

  /** By which routes the route or modulator under the pointer moves this layer or modulator. */
  function litInto(owner: string): Route[] {
    if (lit.value === null) return [];
    return routes.value.filter((one) => one.target === owner && (one.id === lit.value || one.source.split(":")[1] === lit.value));
  }

  function said(route: string): RouteReading | undefined {
    return readings.value.get(route);
  }

  function findingsOf(id: string): Finding[] {
    return reading.value.findings.filter(({ about }) => about.includes(id));
  }

  /** Change fields of a route. */
  function change(route: string, fields: Partial<Route>, label: string): void {
    const at = routes.value.findIndex(({ id }) => id === route);
    if (at < 0) return;
    const patch = Object.entries(fields).map(([key, value]) => ({ op: "replace" as const, path: `/routes/${at}/${key}`, value }));
    void instrument.edit(label, patch);
  }

  function accept(finding: Finding): void {
    void instrument.edit(finding.fix, finding.patch);
  }

  /** Whether a modulator swings to either side of 0. */
  function swings(id: string): boolean {
    return reading.value.sources.find((one) => one.id === `m:${id}`)?.two_sided ?? false;
  }

  function trace(id: string): number[] {
    return traces.get(id) ?? [];
  }

  function modulator(id: string): Modulator | undefined {
    return modulators.value.find((one) => one.id === id);
  }

  return {
    reading,
    chosen,
    lit,
    beat,
    users,
    bands,
    routes,
    modulators,
    read,
    now,
    kindOf,
    setTo,
    ask,
    show,
    into,
    from,
    said,
    litInto,
    findingsOf,
    change,
    accept,
    swings,
    trace,
    modulator,
  };
});

/** What moves is wanted for as long as the component that calls this is there. */
export function useLiveMovement(): void {
  const movement = useMovement();
  onMounted(() => movement.users++);
  onBeforeUnmount(() => movement.users--);
}
