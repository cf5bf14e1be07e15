import { defineStore } from "pinia";
import { computed, ref } from "vue";

import { api, wanted } from "../api/client";
import type { Onsets } from "../api/types";
import { useBench } from "./bench";
import { useNotices } from "./notices";

export interface Piece {
  start: number;
  end: number;
  name: string;
  kept: boolean;
}

export const SENSITIVITY_AT_FIRST = 0.4;

/** The recording split at onsets or by hand: pieces to hear, keep, drop and name. */
export const usePieces = defineStore("pieces", () => {
  const bench = useBench();
  const open = ref(false);
  const sensitivity = ref(SENSITIVITY_AT_FIRST);
  const onsets = ref<Onsets | null>(null);
  const byHand = ref<number[]>([]);
  const removed = ref<number[]>([]);
  const pieces = ref<Piece[]>([]);
  const chosen = ref(0);
  const history: string[] = [];
  const undone: string[] = [];
  const changes = ref(0);
  const splits = computed(() => pieces.value.map(({ start }) => start));
  const keptCount = computed(() => pieces.value.filter(({ kept }) => kept).length);
  const canUndo = computed(() => changes.value >= 0 && history.length > 0);

  const state = () =>
    JSON.stringify({
      sensitivity: sensitivity.value,
      byHand: byHand.value,
      removed: removed.value,
      pieces: pieces.value,
      chosen: chosen.value,
    });

  /** Remember how things stand, so that the next change can be undone. */
  function remember(): void {
    history.push(state());
    undone.length = 0;
    changes.value++;
  }

  function restore(from: string[], to: string[]): boolean {
    const found = from.pop();
    if (!found) return false;
    to.push(state());
    const was = JSON.parse(found);
    [sensitivity.value, byHand.value, removed.value, pieces.value, chosen.value] = [
      was.sensitivity,
      was.byHand,
      was.removed,
      was.pieces,
      was.chosen,
    ];
    changes.value++;
    void ask();
    return true;
  }

  const undo = () => restore(history, undone);
  const redo = () => restore(undone, history);

  async function begin(): Promise<void> {
    open.value = true;
    byHand.value = [...(bench.recording?.measured.markers ?? [])];
    removed.value = [];
    history.length = undone.length = 0;
    await split();
  }

  function end(): void {
    open.value = false;
    onsets.value = null;
    pieces.value = [];
  }

  async function ask(): Promise<Onsets | null> {
    const recording = bench.recording;
    if (!recording) return null;
    try {
      const params = { path: { digest: recording.digest }, query: { start: 0, end: 0, sensitivity: sensitivity.value } };
      onsets.value = (await wanted(api.GET("/api/sounds/{digest}/onsets", { params }))) as Onsets;
      return onsets.value;
    } catch (error) {
      useNotices().complain(error);
      return null;
    }
  }

  /** Split afresh; names and drops of pieces that begin where they did stay. */
  async function split(): Promise<void> {
    const found = await ask();
    if (!found) return;
    const near = (one: number, other: number) => Math.abs(one - other) < 0.004;
    const duration = bench.recording!.measured.duration_s;
    const wantedPieces = found.pieces.filter(([start]) => !removed.value.some((at) => near(at, start!)));
    const starts = [...new Set([...wantedPieces.map(([start]) => start!), ...byHand.value])].sort((a, b) => a - b);
    const before = pieces.value;
    pieces.value = starts.map((start, i) => {
      const next = starts[i + 1] ?? duration;
      const natural = wantedPieces.find(([from]) => near(from!, start))?.[1] ?? next;
      const same = before.find((one) => near(one.start, start));
      return { start, end: Math.min(next, natural), name: same?.name ?? "", kept: same?.kept ?? true };
    });
    chosen.value = Math.min(chosen.value, Math.max(0, pieces.value.length - 1));
  }

  function splitAt(at: number): void {
    remember();
    byHand.value = [...byHand.value, at];
    void split();
  }

  /** Take a split away: its piece joins the one before. */
  function join(index: number): void {
    const piece = pieces.value[index];
    if (!piece) return;
    remember();
    byHand.value = byHand.value.filter((at) => Math.abs(at - piece.start) > 0.004);
    removed.value = [...removed.value, piece.start];
    const before = pieces.value[index - 1];
    const joinedEnd = piece.end;
    void split().then(() => {
      const grown = before && pieces.value.find((one) => one.start === before.start);
      if (grown) grown.end = Math.max(grown.end, joinedEnd);
    });
  }

  function decide(index: number, kept: boolean): void {
    remember();
    const piece = pieces.value[index];
    if (piece) piece.kept = kept;
    chosen.value = Math.min(pieces.value.length - 1, index + 1);
  }

  function rename(index: number, name: string): void {
    remember();
    const piece = pieces.value[index];
    if (piece) piece.name = name;
  }

  const nameOf = (index: number) =>
    pieces.value[index]?.name || `${bench.recording?.name ?? "Piece"} ${String(index + 1).padStart(2, "0")}`;

  return {
    open,
    sensitivity,
    onsets,
    pieces,
    chosen,
    splits,
    keptCount,
    canUndo,
    begin,
    end,
    split,
    splitAt,
    join,
    decide,
    rename,
    nameOf,
    undo,
    redo,
    remember,
  };
});
