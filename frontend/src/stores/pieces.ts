import { defineStore } from "pinia";
import { computed, ref, shallowRef, watch } from "vue";

import { api, wanted } from "../api/client";
import { revisedAt } from "../api/revised";
import type { Declared, PieceFound, Pieces, PiecesFound, PiecesRevision, Value } from "../api/types";
import { useRevisions } from "../composables/revisions";
import { useBench } from "./bench";
import { useNotices } from "./notices";

export interface Piece extends PieceFound {
  name: string;
  kept: boolean;
  /** Whether someone gave it its name. */
  named: boolean;
}

/** The recording split at onsets or by hand: pieces to hear, keep, drop and name. What is decided is kept with revisions. */
export const usePieces = defineStore("pieces", () => {
  const bench = useBench();
  const open = ref(false);
  const declared = shallowRef<Declared[]>([]);
  const found = shallowRef<PiecesFound | null>(null);
  const chosen = ref(0);
  const revisions = useRevisions(
    revisedAt<Pieces, PiecesRevision>(
      (id) => `/api/recordings/${id}/pieces`,
      () => void look(),
    ),
  );
  const settings = computed(() => revisions.shown.value);
  const undoLabel = computed(() => revisions.base.value?.undo ?? null);
  const redoLabel = computed(() => revisions.base.value?.redo ?? null);
  let asked = 0;

  const pieces = computed<Piece[]>(() =>
    (found.value?.pieces ?? []).map((one, i) => {
      const decision = settings.value?.decisions[one.key];
      const name = decision?.name || `${bench.recording?.name ?? "Piece"} ${String(i + 1).padStart(2, "0")}`;
      return { ...one, name, kept: decision?.kept ?? one.usual, named: Boolean(decision?.name) };
    }),
  );
  const splits = computed(() => (found.value?.pieces ?? []).map(({ start }) => start));
  const kept = computed(() => pieces.value.filter((one) => one.kept));
  watch(pieces, (now) => (chosen.value = Math.min(chosen.value, Math.max(0, now.length - 1))));

  async function begin(): Promise<void> {
    const id = bench.recording!.id;
    open.value = true;
    chosen.value = 0;
    // they lie on the recording: nothing waits for its steps, and keeping them need not either
    bench.rest();
    try {
      const path = { recording_id: id };
      if (!declared.value.length) declared.value = (await wanted(api.GET("/api/bench/steps"))).pieces;
      revisions.open(await wanted(api.GET("/api/recordings/{recording_id}/pieces", { params: { path } })));
    } catch (error) {
      end();
      useNotices().complain(error);
    }
  }

  function end(): void {
    if (open.value && bench.recording) void bench.look();
    open.value = false;
    found.value = null;
    revisions.close();
  }

  /** Ask for the pieces as the newest revision splits them. */
  async function look(): Promise<void> {
    const number = ++asked;
    const path = { recording_id: bench.recording!.id };
    try {
      const answer = await wanted(api.GET("/api/recordings/{recording_id}/pieces/found", { params: { path } }));
      if (number === asked && open.value) found.value = answer;
    } catch (error) {
      useNotices().complain(error);
    }
  }

  const move = (id: string, value: number) => revisions.drag(`/${id}`, value);
  const set = (id: string, value: Value, name: string) => revisions.change(`Pieces: ${name}`, [{ op: "replace", path: `/${id}`, value }]);

  const splitAt = (at: number) => void revisions.edit("Split", (document) => void document.by_hand.push(at));

  /** Take a split away: its piece joins the one before. */
  function join(index: number): void {
    const piece = pieces.value[index];
    if (!piece || index === 0) return;
    void revisions.edit("Join", (document) => void document.removed.push(Number(piece.key)));
    chosen.value = index - 1;
  }

  function decide(index: number, keep: boolean): void {
    const piece = pieces.value[index];
    if (!piece) return;
    void revisions.edit(keep ? `Keep piece ${index + 1}` : `Drop piece ${index + 1}`, ({ decisions }) => {
      decisions[piece.key] = { name: decisions[piece.key]?.name ?? "", kept: keep };
    });
    chosen.value = Math.min(pieces.value.length - 1, index + 1);
  }

  /** Keep all or none: what was decided one by one is decided anew. */
  function decideAll(keep: boolean): void {
    void revisions.edit(keep ? "Keep all pieces" : "Keep none of the pieces", (document) => {
      document.undecided = keep ? "keep" : "drop";
      document.decisions = Object.fromEntries(
        Object.entries(document.decisions).flatMap(([key, { name }]) => (name ? [[key, { name, kept: null }]] : [])),
      );
    });
  }

  function rename(index: number, name: string): void {
    const piece = pieces.value[index];
    if (!piece || name === piece.name) return;
    void revisions.edit(`Name piece ${index + 1}`, ({ decisions }) => {
      decisions[piece.key] = { kept: decisions[piece.key]?.kept ?? null, name };
    });
  }

  const back = (way: "undo" | "redo") => revisions.step(way);

  return {
    open,
    declared,
    settings,
    found,
    pieces,
    chosen,
    splits,
    kept,
    undoLabel,
    redoLabel,
    saving: revisions.saving,
    begin,
    end,
    move,
    set,
    splitAt,
    join,
    decide,
    decideAll,
    rename,
    back,
  };
});
