import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";

import { api, wanted } from "../api/client";
import {
  type Declared,
  isChoice,
  type NewTable,
  type Parameter,
  type TableDocument,
  type TableFrame,
  type TableMade,
  type TableRevision,
  type TableWords,
} from "../api/types";
import { type TablePicture, unpacked } from "../charts/tables";
import { at, useBenchMaterial } from "./benchMaterial";
import { useLive } from "./live";
import { entered } from "./materials";

const URL = "/api/recordings/{recording_id}/table";

/** The wavetable on the Bench: its recipe with revisions, its pictures, and hearing it. */
export const useTable = defineStore("table", () => {
  const words = shallowRef<TableWords | null>(null);
  const picture = shallowRef<TablePicture | null>(null);
  const frame = shallowRef<TableFrame | null>(null);
  /** Where in the table is looked and played, 0..1. */
  const place = ref(0);
  let frameAsked = 0;

  const material = useBenchMaterial<TableDocument, TableRevision, TableMade>({
    address: (id) => `/api/recordings/${id}/table`,
    make: (id) => wanted(api.POST(`${URL}/make`, at(id))),
    keep: (id, name) => wanted(api.POST(`${URL}/keep`, { ...at(id), body: { name } })),
    audition: (id) => wanted(api.GET(`${URL}/audition`, { params: { ...at(id).params, query: { place: place.value } } })),
    begin: async () => void (words.value ??= await wanted(api.GET("/api/tables/words"))),
    look: paint,
    clear,
  });
  const { drag, ...shared } = material;
  const { made, document, recording } = shared;
  const source = computed(() => document.value?.source ?? null);
  const chosen = computed(() => Math.round(place.value * Math.max(0, (made.value?.frames ?? 1) - 1)));

  function clear(): void {
    picture.value = frame.value = null;
    place.value = 0;
  }

  async function paint({ key }: TableMade): Promise<void> {
    const found = await wanted(api.GET("/api/tables/{key}/picture", { params: { path: { key } } }));
    if (made.value?.key !== key) return;
    picture.value = unpacked(found);
    await look();
  }

  /** The chosen frame in detail. */
  async function look(): Promise<void> {
    const now = made.value;
    if (!now) return;
    const number = ++frameAsked;
    const path = { key: now.key, number: chosen.value };
    const found = await wanted(api.GET("/api/tables/{key}/frames/{number}", { params: { path } }));
    if (number === frameAsked) frame.value = found;
  }

  function scrub(to: number): void {
    const held = Math.min(1, Math.max(0, to));
    const before = chosen.value;
    place.value = held;
    useLive().tell({ do: "set", owner: "l1", parameter: "frame", value: 100 * held });
    if (chosen.value !== before) void look();
  }

  function split(): Promise<boolean> {
    const of = recording.value!.id;
    const body = { at: Math.max(1, chosen.value) };
    return shared.ask("Split", (revision) => wanted(api.POST(`${URL}/split`, { ...at(of), body: { ...body, revision } })));
  }

  /** Make a wavetable and put it on the shelf; gives its id. */
  async function make(asked: Partial<NewTable>): Promise<number | null> {
    const body = { name: "", recordings: [], cycles: false, cycle: null, document: null, ...asked };
    return entered(() => wanted(api.POST("/api/tables", { body })));
  }

  return { ...shared, words, picture, frame, place, source, chosen, look, scrub, move: drag, split, make };
});

/** A setting in words, as a step or an operator is summed up. */
export function said(declared: Declared, value: unknown, spoken: (p: Parameter, value: number) => string): string {
  return isChoice(declared) ? String(value) : spoken(declared, Number(value));
}
