/** Where the streams of a mix go after their chains, and what they send across. */
import { computed, type ComputedRef, type Ref } from "vue";

import { number, word } from "../../../api/types";
import type { Stream } from "../../../stores/mix";
import { bend, type MixLayout, type Row, WHOLE_CHAIN } from "./layout";

export const isPast = (stream: Stream) => stream.layer !== null && word(stream.layer.settings, "effects") === "past";

/** The level among some settings, in words. */
export function levelOf(settings: object): string {
  const db = number(settings as Record<string, number>, "level");
  return db <= -60 ? "silent" : `${db < 0 ? "\u2212" : db > 0 ? "+" : ""}${Math.abs(db).toFixed(1)} dB`;
}

export interface Sent {
  id: string;
  x: number;
  from: Row;
  to: Row;
  db: number;
  words: string;
  order: number;
}

export function useStreamWays(layout: ComputedRef<MixLayout>, width: Ref<number>) {
  /** The stream's way after its chain: to a shared stream, to the whole, or past all effects. */
  function wayOf(row: Row): string {
    const { chainEnd, label, whole: place, rows } = layout.value;
    const output = row.stream.layer?.output;
    const shared = rows.find(({ stream }) => stream.id === output);
    if (isPast(row.stream)) return bend(chainEnd, row.y, width.value, place.top + place.height + WHOLE_CHAIN - 6);
    if (shared)
      return `${bend(chainEnd, row.y, chainEnd + 40, (row.y + shared.y) / 2)} ${bend(chainEnd + 40, (row.y + shared.y) / 2, label, shared.y).replace("M", "L")}`;
    const share = (rows.indexOf(row) + 0.5) / rows.length;
    return bend(chainEnd, row.y, place.left, place.top + place.height * (0.1 + 0.8 * share));
  }

  const sends = computed<Sent[]>(() => {
    const { rows, sendX } = layout.value;
    const count = new Map<string, number>();
    return rows.flatMap((from) =>
      (from.stream.layer?.sends ?? []).flatMap(({ id, to, settings }) => {
        const row = rows.find(({ stream }) => stream.id === to);
        const order = count.get(to) ?? 0;
        count.set(to, order + 1);
        return row ? [{ id, x: sendX.get(to)!, from, to: row, db: number(settings, "level"), words: levelOf(settings), order }] : [];
      }),
    );
  });

  return { wayOf, sends };
}
