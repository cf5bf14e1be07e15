import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";

import { api, wanted } from "../api/client";
import { revisedAt } from "../api/revised";
import type { Ensemble, EnsembleAction, EnsembleLine, EnsembleRevision, Settings, Value } from "../api/types";
import type { Patch } from "../composables/patches";
import { useRevisions } from "../composables/revisions";
import { useJobs } from "./jobs";
import { useLive } from "./live";
import { useNotices } from "./notices";
import { removeWithWayBack } from "./removal";

const URL = "/api/ensembles/{ensemble_id}";
const at = (id: number) => ({ params: { path: { ensemble_id: id } } });
type Asked<T> = T extends { do: string } ? Omit<T, "revision"> : never;

/** Id of the ensemble itself, as an owner of settings. */
export const ENSEMBLE = "ensemble";

/** The ensemble in hand: who plays, where on the keys and how loud; and the list of all. */
export const useEnsemble = defineStore("ensemble", () => {
  const live = useLive();
  const lines = ref<EnsembleLine[]>([]);
  const chosenId = ref<string | null>(null);
  /** Players whose instrument is no longer there. */
  const gone = shallowRef<string[]>([]);
  let asked = 0;

  const revisions = useRevisions(
    revisedAt<Ensemble, EnsembleRevision>(
      (id) => `/api/ensembles/${id}`,
      (newest) => void hear(newest.id),
    ),
  );
  const document = revisions.shown;
  const id = computed(() => revisions.base.value?.id ?? null);
  const undoLabel = computed(() => revisions.base.value?.undo ?? null);
  const redoLabel = computed(() => revisions.base.value?.redo ?? null);
  const players = computed(() => document.value?.players ?? []);
  const chosen = computed(() => players.value.find((one) => one.id === chosenId.value) ?? null);

  /** Let it be heard with its instruments as they are now. */
  async function hear(of: number | null = id.value): Promise<void> {
    if (of === null) return;
    const number = ++asked;
    try {
      const found = await wanted(api.GET(`${URL}/heard`, at(of)));
      if (number !== asked || of !== id.value) return;
      gone.value = found.gone;
      live.load(found.document);
    } catch (error) {
      useNotices().complain(error);
    }
  }

  async function list(): Promise<void> {
    lines.value = (await wanted(api.GET("/api/ensembles"))).ensembles;
  }

  useJobs().onElsewhere(({ result }) => {
    if (result.ensemble !== null) void list().catch((error: unknown) => useNotices().complain(error));
  });

  async function open(wantedId: number): Promise<boolean> {
    try {
      const found = await wanted(api.GET(URL, at(wantedId)));
      revisions.open(found);
      chosenId.value = found.document.players[0]?.id ?? null;
      return true;
    } catch (error) {
      useNotices().complain(error);
      return false;
    }
  }

  /** A new ensemble of some instruments; gives its number. */
  async function create(name: string, instruments: number[]): Promise<number | null> {
    try {
      return (await wanted(api.POST("/api/ensembles", { body: { name, instruments } }))).id;
    } catch (error) {
      useNotices().complain(error);
      return null;
    }
  }

  const pathOf = (owner: string, part: "settings" | "phrase" = "settings") =>
    owner === ENSEMBLE ? "/settings" : `/players/${players.value.findIndex((one) => one.id === owner)}/${part}`;

  /** Move a control without storing it: heard and shown at once. */
  function move(owner: string, parameter: string, value: Value): void {
    revisions.drag(`${pathOf(owner)}/${parameter}`, value);
    live.tell({ do: "set", owner, parameter, value });
  }

  /** Store where controls came to rest. */
  function rest(owner: string, values: Settings, label: string, part: "settings" | "phrase" = "settings"): void {
    const patch = Object.entries(values).map(([key, value]) => ({
      op: "replace" as const,
      path: `${pathOf(owner, part)}/${key}`,
      value,
    }));
    if (part === "settings") for (const [key, value] of Object.entries(values)) live.tell({ do: "set", owner, parameter: key, value });
    void edit(label, patch);
  }

  const edit = (label: string, patch: Patch) => revisions.change(label, patch);

  async function act(action: Asked<EnsembleAction>): Promise<boolean> {
    const of = id.value;
    if (of === null) return false;
    const before = new Set(players.value.map((one) => one.id));
    const done = await revisions.ask(action.do, (revision) => {
      const body = { action: { ...action, revision } as EnsembleAction };
      return wanted(api.POST(`${URL}/players`, { ...at(of), body }));
    });
    const fresh = players.value.find((one) => !before.has(one.id));
    if (done && fresh) chosenId.value = fresh.id;
    return done;
  }

  async function duplicate(): Promise<number | null> {
    if (id.value === null) return null;
    try {
      await revisions.settled();
      return (await wanted(api.POST(`${URL}/duplicate`, at(id.value)))).id;
    } catch (error) {
      useNotices().complain(error);
      return null;
    }
  }

  /** Delete the ensemble in hand; the notice offers the way back. */
  async function remove(restored: (id: number) => void): Promise<void> {
    if (id.value === null || !document.value) return;
    const gone = id.value;
    await revisions.settled();
    const back = async () => {
      await wanted(api.POST(`${URL}/restore`, at(gone)));
      restored(gone);
    };
    if (await removeWithWayBack(document.value.name, () => wanted(api.DELETE(URL, at(gone))), back)) revisions.close();
  }

  return {
    lines,
    id,
    document,
    players,
    chosenId,
    chosen,
    gone,
    undoLabel,
    redoLabel,
    saving: revisions.saving,
    list,
    open,
    create,
    hear,
    move,
    rest,
    edit,
    act,
    duplicate,
    remove,
    step: revisions.step,
  };
});
