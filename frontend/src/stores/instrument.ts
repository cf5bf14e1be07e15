import { defineStore } from "pinia";
import { computed, ref } from "vue";

import { api, wanted } from "../api/client";
import { revisedAt } from "../api/revised";
import type {
  Instrument,
  InstrumentLine,
  InstrumentRevision,
  LayerAction,
  MixAction,
  MovementAction,
  Settings,
  SnapshotAction,
  Value,
} from "../api/types";
import type { Patch } from "../composables/patches";
import { useRevisions } from "../composables/revisions";
import { useJobs } from "./jobs";
import { useLive } from "./live";
import { useNotices } from "./notices";
import { removeWithWayBack } from "./removal";
import { type Owner, ownersOf } from "./owners";

const URL = "/api/instruments/{instrument_id}";
const at = (id: number) => ({ params: { path: { instrument_id: id } } });

type Asked<T> = T extends { do: string } ? Pick<T, "do"> & Partial<Omit<T, "do" | "revision">> : never;
type WithoutRevision<T> = T extends unknown ? Omit<T, "revision"> : never;

/** The instrument in hand: its document, its revisions, and the list of all. */
export const useInstrument = defineStore("instrument", () => {
  const lines = ref<InstrumentLine[]>([]);
  const listed = ref(false);
  const layerIndex = ref(0);

  const revisions = useRevisions(revisedAt<Instrument, InstrumentRevision>((id) => `/api/instruments/${id}`, arrived));
  const document = revisions.shown;
  const id = computed(() => revisions.base.value?.id ?? null);
  const revision = computed(() => revisions.base.value?.revision ?? 0);
  const undoLabel = computed(() => revisions.base.value?.undo ?? null);
  const redoLabel = computed(() => revisions.base.value?.redo ?? null);
  const layer = computed(() => document.value?.layers[layerIndex.value] ?? null);
  const owners = computed(() => (document.value ? ownersOf(document.value) : new Map<string, Owner>()));

  /** A newer revision is here: what is shown is heard, and its line in the list is brought up to date. */
  function arrived(newest: InstrumentRevision, shown: Instrument): void {
    useLive().load(shown);
    const line = {
      id: newest.id,
      name: newest.document.name,
      revision: newest.revision,
      layers: newest.document.layers.map(({ petal }) => petal),
    };
    const known = lines.value.find((one) => one.id === newest.id);
    if (known && known.revision !== newest.revision) {
      const changed = { ...known, ...line, changed: new Date().toISOString() };
      lines.value = [changed, ...lines.value.filter((one) => one.id !== newest.id)];
    }
  }

  async function list(): Promise<void> {
    lines.value = (await wanted(api.GET("/api/instruments"))).instruments;
    listed.value = true;
  }

  useJobs().onElsewhere(({ result }) => {
    if (result.instrument !== null) void list().catch((error: unknown) => useNotices().complain(error));
  });

  async function open(wantedId: number): Promise<boolean> {
    try {
      const found = await wanted(api.GET(URL, at(wantedId)));
      layerIndex.value = 0;
      revisions.open(found);
      localStorage.setItem("bloom-instrument", String(found.id));
      return true;
    } catch (error) {
      useNotices().complain(error);
      return false;
    }
  }

  /** Show a change at once and store it as a revision; gives whether it was stored. */
  function edit(label: string, patch: Patch): Promise<boolean> {
    return revisions.change(label, patch);
  }

  /** Move a control of any owner without storing it: heard and shown at once. */
  function move(owner: string, parameter: string, value: Value): void {
    const found = owners.value.get(owner);
    if (!found) return;
    revisions.drag(`${found.path}/${parameter}`, value);
    useLive().tell({ do: "set", owner, parameter, value });
  }

  /** Let go of a control: store where it came to rest. */
  function rest(owner: string, values: Settings, label: string): void {
    const found = owners.value.get(owner);
    if (!found) return;
    const patch = Object.entries(values).map(([key, value]) => ({ op: "replace" as const, path: `${found.path}/${key}`, value }));
    void edit(label, patch);
  }

  /** The same for settings that were moved to where they are now. */
  function settle(owner: string, ids: string[], label: string): void {
    const values = owners.value.get(owner)?.values;
    if (values) rest(owner, Object.fromEntries(ids.map((id) => [id, values[id]!])), label);
  }

  /** Ask the server to build on the layers; gives whether it could. */
  async function act(action: WithoutRevision<LayerAction>): Promise<boolean> {
    const of = id.value;
    if (of === null) return false;
    const done = await revisions.ask(action.do, (revision) => {
      const body = { action: { ...action, revision } as LayerAction };
      return wanted(api.POST(`${URL}/layers`, { ...at(of), body }));
    });
    layerIndex.value = Math.min(layerIndex.value, (document.value?.layers.length ?? 1) - 1);
    return done;
  }

  /** Ask the server to work on what moves; gives whether it could. */
  async function wire(action: Asked<MovementAction>): Promise<boolean> {
    const of = id.value;
    if (of === null) return false;
    return revisions.ask(action.do, (revision) => {
      const body = { action: { ...action, revision } as MovementAction };
      return wanted(api.POST(`${URL}/movement`, { ...at(of), body }));
    });
  }

  /** Ask the server to work on effects and shared streams; gives whether it could. */
  async function mix(action: Asked<MixAction>): Promise<boolean> {
    const of = id.value;
    if (of === null) return false;
    return revisions.ask(action.do, (revision) => {
      const body = { action: { ...action, revision } as MixAction };
      return wanted(api.POST(`${URL}/mix`, { ...at(of), body }));
    });
  }

  /** Ask the server to work on snapshots; `known` of what comes of it is shown at once. Gives whether it could. */
  async function shoot(action: Asked<SnapshotAction>, known: Patch | null = null): Promise<boolean> {
    const of = id.value;
    if (of === null) return false;
    const asked = (revision: number) => {
      const body = { action: { ...action, revision } as SnapshotAction };
      return wanted(api.POST(`${URL}/snapshots`, { ...at(of), body }));
    };
    return revisions.ask(action.do, asked, known);
  }

  /** Make a route from a sentence; gives what is not understood and where, or null. */
  async function say(text: string): Promise<{ text: string; at: number } | null> {
    const of = id.value;
    if (of === null) return null;
    let wrong: { text: string; at: number } | null = null;
    await revisions.ask("route", async (revision) => {
      const action: MovementAction = { do: "say", revision, text };
      const answer = await api.POST(`${URL}/movement`, { ...at(of), body: { action } });
      const refusal = answer.error as { message?: string; at?: number } | undefined;
      if (refusal?.at === undefined) return wanted(Promise.resolve(answer));
      // said where it was typed, and nothing else is taken back
      wrong = { text: refusal.message ?? "The server gave no reason.", at: refusal.at };
      return revisions.base.value!;
    });
    return wrong;
  }

  /** Tune the keys by the text of a Scala scale and mapping. */
  function tune(scale: string, mapping: string | null): void {
    const of = id.value;
    if (of === null) return;
    void revisions.ask("tuning", (revision) => wanted(api.PUT(`${URL}/tuning`, { ...at(of), body: { revision, scale, mapping } })));
  }

  async function duplicate(): Promise<number | null> {
    if (id.value === null) return null;
    try {
      await revisions.settled();
      const copy = await wanted(api.POST(`${URL}/duplicate`, at(id.value)));
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
    await revisions.settled();
    const back = async () => {
      await wanted(api.POST(`${URL}/restore`, at(gone)));
      await list();
      restored(gone);
    };
    if (!(await removeWithWayBack(document.value.name, () => wanted(api.DELETE(URL, at(gone))), back))) return;
    close();
    await list();
  }

  function close(): void {
    revisions.close();
    localStorage.removeItem("bloom-instrument");
  }

  return {
    lines,
    listed,
    id,
    revision,
    document,
    owners,
    layer,
    layerIndex,
    undoLabel,
    redoLabel,
    saving: revisions.saving,
    list,
    open,
    edit,
    move,
    rest,
    settle,
    act,
    wire,
    mix,
    shoot,
    say,
    tune,
    step: revisions.step,
    settled: revisions.settled,
    duplicate,
    remove,
    close,
  };
});
