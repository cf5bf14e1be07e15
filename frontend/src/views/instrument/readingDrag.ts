/** Where a layer reads its sound, taken hold of on its picture: a position, or an end of its loop. */
import { type Ref } from "vue";

import { type Layer, number, word } from "../../api/types";
import { useInstrument } from "../../stores/instrument";

type Grabbed = "position" | "left" | "right";
const NEAR_PX = 6;

export interface Reading {
  /** The parameter that is moved; null where nothing is read. */
  handle: string | null;
  /** What is read from or looped, in percent of the width. */
  band: { left: number; right: number; ends?: boolean } | null;
  seconds: number | null;
}

/** Whether hands move the position, and not a likeness. */
export const isPlaced = (layer: Layer) => word(layer.settings, "gather") !== "a likeness";

export function useReadingDrag(picture: Ref<HTMLElement | undefined>, layer: () => Layer, reading: () => Reading) {
  const instrument = useInstrument();
  let grabbed: Grabbed | null = null;
  let before: Record<string, number> = {};

  function place(event: PointerEvent): number {
    const box = picture.value!.getBoundingClientRect();
    return Math.round(Math.min(1, Math.max(0, (event.clientX - box.left) / box.width)) * 1e5) / 1e3;
  }

  /** An end of the loop when near one, else the position. */
  function under(event: PointerEvent): Grabbed {
    const { band } = reading();
    if (!band?.ends) return "position";
    const at = place(event);
    const near = (NEAR_PX / Math.max(1, picture.value!.clientWidth)) * 100;
    if (Math.abs(at - band.right) < near) return "right";
    return Math.abs(at - band.left) < near ? "left" : "position";
  }

  function held(): Record<string, number> {
    const keys = grabbed === "position" ? [reading().handle!] : ["loop_start", "loop_length"];
    return Object.fromEntries(keys.map((key) => [key, number(layer().settings, key)]));
  }

  function down(event: PointerEvent): void {
    if (event.button !== 0 || !reading().handle || !isPlaced(layer())) return;
    picture.value!.setPointerCapture(event.pointerId);
    grabbed = under(event);
    before = held();
    move(event);
  }

  function move(event: PointerEvent): void {
    const { seconds, handle } = reading();
    if (!grabbed || !seconds) return;
    const { id } = layer();
    const at = place(event);
    const ms = 10 * seconds;
    if (grabbed === "position") return instrument.move(id, handle!, at);
    const start = before.loop_start!;
    const end = start + before.loop_length! / ms;
    const from = grabbed === "left" ? Math.min(at, end) : start;
    const to = grabbed === "left" ? end : Math.max(at, start);
    if (grabbed === "left") instrument.move(id, "loop_start", from);
    instrument.move(id, "loop_length", Math.max(0.05, (to - from) * ms));
  }

  function up(): void {
    if (!grabbed) return;
    const now = held();
    const changed = Object.keys(now).some((key) => now[key] !== before[key]);
    if (changed) instrument.rest(layer().id, now, grabbed === "position" ? reading().handle! : "loop");
    grabbed = null;
  }

  return { down, move, up };
}
