import { watchDebounced } from "@vueuse/core";
import { defineStore } from "pinia";
import { computed, ref, shallowRef, watch } from "vue";

import { api, wanted } from "../api/client";
import { revisedAt } from "../api/revised";
import type { Settings, Value, VariationSet, VariationShown, VariationsDrawn, VariationsLine, VariationsRevision } from "../api/types";
import { useRevisions } from "../composables/revisions";
import { useJobs } from "./jobs";
import { useLive } from "./live";
import { useNotices } from "./notices";
import { removeWithWayBack } from "./removal";

const ASKED_MS = 120;
const at = (id: number) => ({ params: { path: { variations_id: id } } });

/** The set of variations in hand: what is asked, what was drawn, what is kept of it and handed over. */
export const useVariations = defineStore("variations", () => {
  const live = useLive();
  const jobs = useJobs();
  const lines = ref<VariationsLine[]>([]);
  const listed = ref(false);
  const told = shallowRef<VariationsDrawn | null>(null);
  const chosenNumber = ref<number | null>(null);
  const drawingId = ref<string | null>(null);
  const handingId = ref<string | null>(null);

  const revisions = useRevisions(revisedAt<VariationSet, VariationsRevision>((id) => `/api/variations/${id}`, undefined));
  const document = revisions.shown;
  const id = computed(() => revisions.base.value?.id ?? null);
  const revision = computed(() => revisions.base.value?.revision ?? 0);
  const undoLabel = computed(() => revisions.base.value?.undo ?? null);
  const redoLabel = computed(() => revisions.base.value?.redo ?? null);
  const drawn = computed<VariationShown[]>(() => told.value?.drawn ?? []);
  const chosen = computed(() => drawn.value.find((one) => one.number === chosenNumber.value) ?? null);
  const drawing = computed(() => jobs.jobs.find((one) => one.id === drawingId.value) ?? null);
  const handing = computed(() => jobs.jobs.find((one) => one.id === handingId.value) ?? null);

  async function ask(): Promise<void> {
    const of = id.value;
    if (of === null) return void (told.value = null);
    try {
      const found = await wanted(api.GET("/api/variations/{variations_id}/drawn", at(of)));
      if (of === id.value) told.value = found;
    } catch (error) {
      useNotices().complain(error);
    }
  }
  watchDebounced([id, revision], ask, { debounce: ASKED_MS });
  watch(id, () => ([told.value, chosenNumber.value, drawingId.value, handingId.value] = [null, null, null, null]));

  async function list(): Promise<void> {
    lines.value = (await wanted(api.GET("/api/variations"))).sets;
    listed.value = true;
  }

  async function open(wantedId: number): Promise<boolean> {
    try {
      revisions.open(await wanted(api.GET("/api/variations/{variations_id}", at(wantedId))));
      return true;
    } catch (error) {
      useNotices().complain(error);
      return false;
    }
  }

  /** A new set: of an instrument, of its snapshots as layers, or of a take. */
  async function create(of: { instrument?: number; recording?: number; take?: number; layers?: boolean }): Promise<number | null> {
    try {
      const body = { instrument: null, recording: null, take: null, layers: false, name: "", ...of };
      const made = await wanted(api.POST("/api/variations", { body }));
      await list();
      return made.id;
    } catch (error) {
      useNotices().complain(error);
      return null;
    }
  }

  const edit = revisions.change;
  const drag = (parameter: string, value: Value) => revisions.drag(`/settings/${parameter}`, value);
  const set = (values: Settings, label: string, part = "/settings") =>
    edit(
      label,
      Object.entries(values).map(([key, value]) => ({ op: "replace" as const, path: `${part}/${key}`, value })),
    );

  /** What a hand decides of one that was drawn. */
  function decide(number: number, kept: boolean): void {
    void edit(`${kept ? "Keep" : "Drop"} ${number}`, [{ op: "add", path: `/decisions/${number}`, value: kept }]);
  }

  /** Draw anew; the set comes back with what was drawn. */
  async function draw(): Promise<void> {
    const of = id.value;
    if (of === null) return;
    try {
      await revisions.settled();
      const { job } = await wanted(api.POST("/api/variations/{variations_id}/draw", at(of)));
      drawingId.value = job;
      jobs.follow(job, async () => {
        if (of === id.value) await open(of);
      });
    } catch (error) {
      useNotices().complain(error);
    }
  }

  async function handOver(): Promise<void> {
    const of = id.value;
    if (of === null) return;
    try {
      await revisions.settled();
      const { job } = await wanted(api.POST("/api/variations/{variations_id}/hand-over", at(of)));
      handingId.value = job;
      jobs.follow(job, () => undefined);
    } catch (error) {
      useNotices().complain(error);
    }
  }

  const addressOf = (one: VariationShown) => `${told.value?.made ?? ""}/${one.number}`;
  const heard = (one: VariationShown) => live.listeningTo === addressOf(one);
  /** Hear one as loud as it is handed over. */
  function hear(one: VariationShown): void {
    chosenNumber.value = one.number;
    if (heard(one)) live.hush();
    else live.listenToVariation(addressOf(one), one.gain);
  }

  async function remove(restored: (id: number) => void): Promise<void> {
    const gone = id.value;
    if (gone === null || !document.value) return;
    await revisions.settled();
    const back = async () => {
      await wanted(api.POST("/api/variations/{variations_id}/restore", at(gone)));
      restored(gone);
    };
    const away = () => wanted(api.DELETE("/api/variations/{variations_id}", at(gone)));
    if (!(await removeWithWayBack(document.value.name, away, back))) return;
    revisions.close();
    await list();
  }

  return {
    lines,
    listed,
    id,
    document,
    told,
    drawn,
    chosen,
    chosenNumber,
    drawing,
    handing,
    undoLabel,
    redoLabel,
    saving: revisions.saving,
    list,
    open,
    create,
    edit,
    drag,
    set,
    decide,
    draw,
    handOver,
    heard,
    hear,
    remove,
    step: revisions.step,
  };
});
