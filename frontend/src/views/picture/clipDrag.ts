import { ref } from "vue";

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
    const element = event.currentTarget as HTMLElement;
    element.setPointerCapture(event.pointerId);
    const [x, y] = [event.clientX, event.clientY];
    let moved = false;
    const move = (now: PointerEvent): void => {
      if (!moved && Math.hypot(now.clientX - x, now.clientY - y) < LEAST_PX) return;
      moved = true;
      const lanes = grip === "body" ? Math.round((now.clientY - y) / lanePx) : 0;
      dragged.value = { grip, frames: Math.round((now.clientX - x) / pixels()), lanes };
    };
    const end = async (cancelled: boolean): Promise<void> => {
      element.removeEventListener("pointermove", move);
      element.removeEventListener("pointerup", drop);
      element.removeEventListener("pointercancel", drop);
      removeEventListener("keydown", escape, true);
      const last = dragged.value;
      if (!cancelled && last && (last.frames || last.lanes)) await done(last);
      dragged.value = null;
    };
    const drop = (now: Event): void => void end(now.type === "pointercancel");
    const escape = (now: KeyboardEvent): void => {
      if (now.key !== "Escape") return;
      now.stopPropagation();
      void end(true);
    };
    element.addEventListener("pointermove", move);
    element.addEventListener("pointerup", drop);
    element.addEventListener("pointercancel", drop);
    addEventListener("keydown", escape, true);
  }

  return { dragged, begin };
}
