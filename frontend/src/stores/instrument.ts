import { applyPatch, type Operation } from "fast-json-patch";
import { defineStore } from "pinia";
import { computed, ref } from "vue";

import { api, ApiError, type InstrumentLine, type InstrumentState, type LayerAction, type MovementAction, type Value, wanted } from "../api/client";
import type { components } from "../api/schema";
import { useLive } from "./live";
import { useNotices } from "./notices";
import { type Owner, ownersOf } from "./owners";

export type Sound = components["schemas"]["MorphAsked"]["sounds"][number];

export type Settings = Record<string, Value>;

export interface Layer {
  id: string;
  kind: string;
  name: string;
  petal: string;
  sounds: Sound[];
  picks: Settings[];
  path: [number, number][];
  drawn_filter: [number, number][];
  effects: Effect[];
  output: string;
  sends: { id: string; to: string; settings: Settings }[];
  settings: Settings;
}

export interface Effect {
  id: string;
  kind: string;
  sound: Sound | null;
  settings: Settings;
}

export type Point = [place: number, value: number, bend: number];

export interface Curve {
  points: Point[];
  free: number[];
}

export interface Route {
  id: string;
  source: string;
  /** Id of the owner that is moved. */
  target: string;
  parameter: string;
  depth: number;
  amount: number;
  polarity: string;
  curve: Curve | null;
  span: [number, number] | null;
  by: string | null;
  rise: number;
  fall: number;
  on: boolean;
}

export interface Modulator {
  id: string;
  kind: string;
  name: string;
  settings: Settings;
  points: Point[];
  steps: [value: number, chance: number][];
  follows: string | null;
  sound: Sound | null;
}

export interface Document {
  name: string;
  notes: string;
  settings: Settings;
  tuning: { name: string } | null;
  stack: Settings[];
  layers: Layer[];
  modulators: Modulator[];
  routes: Route[];
  buses: { id: string; name: string; settings: Settings; effects: Effect[] }[];
  effects: Effect[];
}

/** A setting as a number; choices and missing ones count as 0. */
export function number(settings: Settings, id: string): number {
  const value = settings[id];
  return typeof value === "number" ? value : 0;
}

type Asked<T> = T extends { do: string } ? Pick<T, "do"> & Partial<Omit<T, "do" | "revision">> : never;
type DistributiveOmit<T, K extends PropertyKey> = T extends unknown ? Omit<T, K> : never;

/** The instrument in hand: its document, its revisions, and the list of all. */
export const useInstrument = defineStore("instrument", () => {
  const lines = ref<InstrumentLine[]>([]);
  const listed = ref(false);
  const id = ref<number | null>(null);
  const document = ref<Document | null>(null);
  const undoLabel = ref<string | null>(null);
  const redoLabel = ref<string | null>(null);
  const layerIndex = ref(0);
  const saving = ref(false);
  let revision = 0;
  let turn: Promise<void> = Promise.resolve();

  const layer = computed(() => document.value?.layers[layerIndex.value] ?? null);
  const owners = computed(() => (document.value ? ownersOf(document.value) : new Map<string, Owner>()));

  function show(state: InstrumentState): void {
    id.value = state.id;
    revision = state.revision;
    document.value = state.document as unknown as Document;
    undoLabel.value = state.undo;
    redoLabel.value = state.redo;
    localStorage.setItem("bloom-instrument", String(state.id));
    useLive().load(state.document);
  }

  async function list(): Promise<void> {
    lines.value = (await wanted(api.GET("/api/instruments"))).instruments;
    listed.value = true;
  }

  async function open(wantedId: number): Promise<boolean> {
    await turn;
    try {
      const path = { instrument_id: wantedId };
      show(await wanted(api.GET("/api/instruments/{instrument_id}", { params: { path } })));
      layerIndex.value = 0;
      return true;
    } catch (error) {
      useNotices().complain(error);
      return false;
    }
  }

  /** Do one thing after another, so that revisions follow each other. */
  function inTurn(work: () => Promise<InstrumentState>): Promise<void> {
    turn = turn.then(async () => {
      saving.value = true;
      try {
        const state = await work();
        if (state.id === id.value) show(state);
        await list();
      } catch (error) {
        useNotices().complain(error);
        if (error instanceof ApiError && error.status >= 400 && id.value) {
          const path = { instrument_id: id.value };
          const asked = api.GET("/api/instruments/{instrument_id}", { params: { path } });
          await wanted(asked).then(show, () => undefined);
        }
      } finally {
        saving.value = false;
      }
    });
    return turn;
  }

  /** Show a change at once and store it as a revision. */
  function edit(label: string, patch: Operation[]): Promise<void> {
    if (!document.value || id.value === null) return turn;
    document.value = applyPatch(document.value, patch, false, false).newDocument;
    const path = { instrument_id: id.value };
    return inTurn(() =>
      wanted(
        api.PATCH("/api/instruments/{instrument_id}", {
          params: { path },
          body: { revision, label, patch: patch as unknown as Record<string, never>[] },
        }),
      ),
    );
  }

  /** Move a control of any owner without storing it: heard and shown at once. */
  function move(owner: string, parameter: string, value: Value): void {
    const found = owners.value.get(owner);
    if (!found) return;
    found.values[parameter] = value;
    useLive().tell({ do: "set", owner, parameter, value });
  }

  /** Let go of a control: store where it came to rest. */
  function rest(owner: string, values: Settings, label: string): void {
    const found = owners.value.get(owner);
    if (!found) return;
    const patch = Object.entries(values).map(
      ([key, value]): Operation => ({ op: "replace", path: `${found.path}/${key}`, value }),
    );
    void edit(label, patch);
  }

  /** Ask the server to build on the layers; gives whether it could. */
  async function act(action: DistributiveOmit<LayerAction, "revision">): Promise<boolean> {
    if (id.value === null) return false;
    const before = revision;
    const path = { instrument_id: id.value };
    const url = "/api/instruments/{instrument_id}/layers";
    await inTurn(() => {
      const asked = { action: { ...action, revision } } as { action: LayerAction };
      return wanted(api.POST(url, { params: { path }, body: asked }));
    });
    const most = (document.value?.layers.length ?? 1) - 1;
    layerIndex.value = Math.min(layerIndex.value, most);
    return revision !== before;
  }

  /** Ask the server to work on what moves; gives whether it could. */
  async function wire(action: Asked<MovementAction>): Promise<boolean> {
    if (id.value === null) return false;
    const before = revision;
    const path = { instrument_id: id.value };
    const url = "/api/instruments/{instrument_id}/movement";
    await inTurn(() => {
      const asked = { action: { ...action, revision } } as { action: MovementAction };
      return wanted(api.POST(url, { params: { path }, body: asked }));
    });
    return revision !== before;
  }

  /** Make a route from a sentence; gives what is not understood and where, or null. */
  async function say(text: string): Promise<{ text: string; at: number } | null> {
    if (id.value === null) return null;
    const path = { instrument_id: id.value };
    const url = "/api/instruments/{instrument_id}/movement";
    await turn;
    const action: MovementAction = { do: "say", revision, text };
    const answer = await api.POST(url, { params: { path }, body: { action } });
    if (answer.data) {
      show(answer.data);
      return null;
    }
    const wrong = answer.error as { message?: string; at?: number } | undefined;
    return { text: wrong?.message ?? "The server gave no reason.", at: wrong?.at ?? 0 };
  }

  /** Tune the keys by the text of a Scala scale and mapping. */
  function tune(scale: string, mapping: string | null): void {
    if (id.value === null) return;
    const path = { instrument_id: id.value };
    const url = "/api/instruments/{instrument_id}/tuning";
    void inTurn(() => wanted(api.PUT(url, { params: { path }, body: { revision, scale, mapping } })));
  }

  function step(way: "undo" | "redo"): void {
    if (id.value === null) return;
    const path = { instrument_id: id.value, way };
    const url = "/api/instruments/{instrument_id}/{way}";
    void inTurn(() => wanted(api.POST(url, { params: { path }, body: { revision } })));
  }

  async function duplicate(): Promise<number | null> {
    if (id.value === null) return null;
    const path = { instrument_id: id.value };
    try {
      const copy = await wanted(api.POST("/api/instruments/{instrument_id}/duplicate", { params: { path } }));
      await list();
      return copy.id;
    } catch (error) {
      useNotices().complain(error);
      return null;
    }
  }

  /** Delete the instrument in hand; the notice offers the way back. */
  async function remove(restored: (id: number) => void): Promise<void> {
    if (id.value === null || !document.value) return;
    const gone = id.value;
    const path = { instrument_id: gone };
    try {
      await wanted(api.DELETE("/api/instruments/{instrument_id}", { params: { path } }));
      useNotices().say(`'${document.value.name}' is deleted.`, async () => {
        await wanted(api.POST("/api/instruments/{instrument_id}/restore", { params: { path } }));
        await list();
        restored(gone);
      });
      close();
      await list();
    } catch (error) {
      useNotices().complain(error);
    }
  }

  function close(): void {
    id.value = null;
    document.value = null;
    localStorage.removeItem("bloom-instrument");
  }

  return {
    lines, listed, id, document, owners, layer, layerIndex, undoLabel, redoLabel, saving,
    list, open, edit, move, rest, act, wire, say, tune, step, duplicate, remove, close,
  };
});
