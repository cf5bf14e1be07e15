import { ref } from "vue";

import { followPointer } from "../../composables/pointer";

export type Grip = "body" | "start" | "end";
export interface Dragged {
  grip: Grip;
  frames: number;
  /** How many lanes further down. */
  lanes: number;
}

const LEAST_PX = 3;

/** A clip that is dragged by its body or an edge; nothing is stored before it is let go of. */
export function useClipDrag(pixels: () => number, lanePx: number, done: (dragged: Dragged) => unknown) {
  const dragged = ref<Dragged | null>(null);

  function begin(event: PointerEvent, grip: Grip): void {
    if (event.button !== 0) return;
    const [x, y] = [event.clientX, event.clientY];
    let moved = false;
    const move = (now: PointerEvent): void => {
      if (!moved && Math.hypot(now.clientX - x, now.clientY - y) < LEAST_PX) return;
      moved = true;
      const lanes = grip === "body" ? Math.round((now.clientY - y) / lanePx) : 0;
      dragged.value = { grip, frames: Math.round((now.clientX - x) / pixels()), lanes };
    };
    followPointer(event, move, async (cancelled) => {
      const last = dragged.value;
      if (!cancelled && last && (last.frames || last.lanes)) await done(last);
      dragged.value = null;
    });
  }

  return { dragged, begin };
}
