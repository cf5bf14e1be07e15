/** Players taken hold of on their picture: an end of their keys, or how high they rise. */
import { ref, type Ref } from "vue";

import { number, type Parameter, type Player } from "../../api/types";
import { fromShare } from "../../controls/scale";
import { useEnsemble } from "../../stores/ensemble";

type Part = "level" | "key_low" | "key_high";
const EDGE_PX = 6;

/** Where a player is drawn, in pixels. */
export interface Drawn {
  player: Player;
  left: number;
  right: number;
  base: number;
}

export interface Scale {
  keys: number;
  level: Ref<Parameter>;
  /** Pixels from the lowest level to the highest. */
  rise: () => number;
}

export function usePlayersDrag(outer: Ref<HTMLElement | undefined>, { keys, level, rise }: Scale) {
  const ensemble = useEnsemble();
  const cursor = ref("ns-resize");
  let held: { id: string; part: Part } | null = null;
  let moved = false;

  /** Which part of a player a place is on: its ends, or its height. */
  function partAt(one: Drawn, event: PointerEvent): Part {
    const at = event.clientX - outer.value!.getBoundingClientRect().left;
    if (Math.abs(at - one.left) <= EDGE_PX) return "key_low";
    return Math.abs(at - one.right) <= EDGE_PX ? "key_high" : "level";
  }

  function hover(one: Drawn, event: PointerEvent): void {
    if (!held) cursor.value = partAt(one, event) === "level" ? "ns-resize" : "ew-resize";
  }

  function down(one: Drawn, event: PointerEvent): void {
    if (event.button !== 0) return;
    event.preventDefault();
    ensemble.chosenId = one.player.id;
    (event.currentTarget as Element).setPointerCapture(event.pointerId);
    held = { id: one.player.id, part: partAt(one, event) };
  }

  function move(one: Drawn, event: PointerEvent): void {
    hover(one, event);
    if (!held || held.id !== one.player.id) return;
    const area = outer.value!.getBoundingClientRect();
    moved = true;
    if (held.part === "level") {
      const share = (one.base - (event.clientY - area.top)) / rise();
      ensemble.move(held.id, "level", fromShare(level.value, share));
      return;
    }
    const low = held.part === "key_low";
    const key = Math.min(127, Math.max(0, Math.round(((event.clientX - area.left) / area.width) * keys) - (low ? 0 : 1)));
    const other = number(one.player.settings, low ? "key_high" : "key_low");
    // an end never passes the other
    ensemble.move(held.id, held.part, low ? Math.min(key, other) : Math.max(key, other));
  }

  function up(one: Drawn): void {
    const now = held;
    held = null;
    if (now && moved) ensemble.rest(now.id, { [now.part]: number(one.player.settings, now.part) }, `${one.player.name} ${now.part}`);
    moved = false;
  }

  return { cursor, down, move, up };
}
