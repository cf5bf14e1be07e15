/** The picture of a sound by hand: scrolled, zoomed, listened to, and its edges dragged. */
import type { Ref } from "vue";

import type { Marks } from "./marks";
import type { Shown } from "./picture";

type Held = { what: "edge"; id: string } | { what: "region"; from: number } | { what: "pan"; x: number; from: number; to: number };

export interface Picture {
  canvas: Ref<HTMLCanvasElement | undefined>;
  width: Ref<number>;
  /** Of the waveform: what lies below scrolls. */
  waveHeight: () => number;
  shown: () => Shown;
  marks: () => Marks | null;
}

export interface Told {
  view: (from: number, to: number) => void;
  listen: (at: number) => void;
  drag: (values: Record<string, number>) => void;
  drop: (values: Record<string, number>) => void;
}

const ZOOM = 0.6;
const A_CLICK_PX = 3;

/** Scrolling and zooming, by wheel and keys. */
export function useScroll({ canvas, width, shown }: Picture, view: Told["view"]) {
  function zoom(factor: number, at = (shown().from + shown().to) / 2): void {
    view(at - (at - shown().from) * factor, at + (shown().to - at) * factor);
  }

  function wheel(event: WheelEvent): void {
    event.preventDefault();
    const { from, to } = shown();
    const span = to - from;
    if (event.shiftKey || Math.abs(event.deltaX) > Math.abs(event.deltaY)) {
      const by = ((event.deltaX || event.deltaY) / width.value) * span;
      return view(from + by, to + by);
    }
    const px = event.clientX - canvas.value!.getBoundingClientRect().left;
    zoom(Math.exp(event.deltaY * 0.0022), from + (px / width.value) * span);
  }

  function key(event: KeyboardEvent): void {
    if (event.ctrlKey || event.metaKey) return;
    const { from, to, frames } = shown();
    const span = to - from;
    const moves: Record<string, () => void> = {
      ArrowLeft: () => view(from - span / 10, to - span / 10),
      ArrowRight: () => view(from + span / 10, to + span / 10),
      "+": () => zoom(ZOOM),
      "=": () => zoom(ZOOM),
      "-": () => zoom(1 / ZOOM),
      Home: () => view(0, span),
      End: () => view(frames - span, frames),
      "0": () => view(0, frames),
    };
    if (!moves[event.key]) return;
    event.preventDefault();
    event.stopPropagation();
    moves[event.key]!();
  }

  return { wheel, key };
}

/** What the pointer does: a click listens, a drag on the waveform marks a region, below it scrolls. */
export function usePictureHands(picture: Picture, told: Told) {
  const { canvas, width, shown, marks } = picture;
  let held: Held | null = null;
  let pressed = { x: 0, y: 0, moved: false };

  /** Where in the sound a place of the picture lies, in seconds. */
  function atX(px: number): number {
    const { from, to, frames, rate } = shown();
    return Math.min(frames / rate, Math.max(0, (from + (px / width.value) * (to - from)) / rate));
  }

  function place(event: MouseEvent): { x: number; y: number } {
    const box = canvas.value!.getBoundingClientRect();
    return { x: event.clientX - box.left, y: event.clientY - box.top };
  }

  function down(event: PointerEvent): void {
    if (event.button > 1) return;
    const { x: px, y } = place(event);
    (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
    pressed = { x: px, y, moved: false };
    const pans = y > picture.waveHeight() || event.button === 1 || event.altKey;
    held = pans ? { what: "pan", x: px, from: shown().from, to: shown().to } : { what: "region", from: atX(px) };
  }

  function grab(event: PointerEvent, id: string): void {
    event.stopPropagation();
    (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
    pressed = { ...place(event), moved: false };
    held = { what: "edge", id };
  }

  function move(event: PointerEvent): void {
    if (!held) return;
    const { x: px } = place(event);
    if (Math.abs(px - pressed.x) > A_CLICK_PX) pressed.moved = true;
    if (!pressed.moved) return;
    if (held.what === "pan") {
      const by = ((held.x - px) / width.value) * (held.to - held.from);
      told.view(held.from + by, held.to + by);
    } else told.drag(dragged(px));
  }

  function dragged(px: number): Record<string, number> {
    const edges = marks()?.edges ?? [];
    const at = atX(px);
    if (held?.what === "edge") return { [held.id]: within(held.id, at) };
    if (held?.what !== "region" || !edges.length) return {};
    if (edges.length === 1) return { [edges[0]!.id]: at };
    return { [edges[0]!.id]: Math.min(held.from, at), [edges[1]!.id]: Math.max(held.from, at) };
  }

  /** Edges do not pass each other: a region keeps at least two samples. */
  function within(id: string, at: number): number {
    const [one, other] = marks()!.edges;
    const least = 2 / shown().rate;
    if (!other) return at;
    return id === one!.id ? Math.min(at, other.at - least) : Math.max(at, one!.at + least);
  }

  function up(event: PointerEvent): void {
    if (!held) return;
    const { x: px } = place(event);
    if (!pressed.moved && held.what !== "edge") told.listen(atX(px));
    else if (pressed.moved && held.what !== "pan") told.drop(dragged(px));
    held = null;
  }

  function letGo(): void {
    held = null;
  }

  return { down, grab, move, up, letGo, at: (event: MouseEvent) => atX(place(event).x) };
}
