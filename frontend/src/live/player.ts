import { reactive, ref } from "vue";

import { useLive } from "../stores/live";

export interface Sounding {
  note: number;
  key: number;
  bend: number;
  slide: number;
  pressure: number;
}

const sounding = reactive(new Map<number, Sounding>());
const holding = ref(false);
let next = 1;

/** Whether there is something to play. */
function ready(): boolean {
  return useLive().inHand !== null;
}

/** Start a note; gives its number for whatever follows. */
function start(key: number, velocity: number, slide = 0): number {
  const note = next++;
  if (!ready() || key < 0 || key > 127) return note;
  useLive().send({ do: "on", note, key, value: velocity });
  if (slide) useLive().send({ do: "slide", note, value: slide });
  sounding.set(note, { note, key, bend: 0, slide, pressure: 0 });
  return note;
}

function change(note: number, what: "bend" | "slide" | "pressure", value: number): void {
  const found = sounding.get(note);
  if (!found) return;
  found[what] = value;
  useLive().tell({ do: what, note, value });
}

function end(note: number): void {
  if (!sounding.delete(note)) return;
  const live = useLive();
  // a note let go before sound has started must not hang
  if (live.state === "on") live.tell({ do: "off", note });
  else live.send({ do: "off", note });
}

function hold(on: boolean): void {
  holding.value = on;
  useLive().send({ do: "hold", value: on ? 1 : 0 });
}

/** Silence everything at once. */
function panic(): void {
  sounding.clear();
  holding.value = false;
  useLive().tell({ do: "panic" });
  useLive().silence();
}

export const player = { sounding, holding, start, change, end, hold, panic };
