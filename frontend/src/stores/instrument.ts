import { applyPatch, type Operation } from "fast-json-patch";
import { defineStore } from "pinia";
import { computed, ref } from "vue";

import { api, ApiError, type InstrumentLine, type InstrumentState, wanted } from "../api/client";
import { useLive } from "./live";
import { useNotices } from "./notices";

export interface Layer {
  id: string;
  kind: string;
  name: string;
  petal: string;
  sound: { recording: string | null; start: number; length: number | null; root: number | null; gain_db: number };
  settings: Record<string, number>;
}

export interface Document {
  name: string;
  notes: string;
  settings: Record<string, number>;
  layers: Layer[];
}

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

  /** Move a control without storing it: heard and shown at once. */
  function move(index: number | null, parameter: string, value: number): void {
    const settings = index === null ? document.value?.settings : document.value?.layers[index]?.settings;
    if (!settings) return;
    settings[parameter] = value;
    useLive().tell({ do: "set", layer: index, parameter, value });
  }

  /** Let go of a control: store where it came to rest. */
  function rest(index: number | null, values: Record<string, number>, label: string): void {
    const base = index === null ? "/settings" : `/layers/${index}/settings`;
    const patch = Object.entries(values).map(
      ([key, value]): Operation => ({ op: "replace", path: `${base}/${key}`, value }),
    );
    void edit(label, patch);
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
    lines, listed, id, document, layer, layerIndex, undoLabel, redoLabel, saving,
    list, open, edit, move, rest, step, duplicate, remove, close,
  };
});
