/**
 * Follow a pointer from where it is pressed until it is let go of, or taken away.
 *
 * `end` is told whether it was taken away, as by the system or by Escape.
 */
export function followPointer(
  event: PointerEvent,
  move: (now: PointerEvent) => void,
  end: (cancelled: boolean) => void = () => undefined,
  element = event.currentTarget as HTMLElement | SVGElement,
): void {
  element.setPointerCapture(event.pointerId);
  const stop = (cancelled: boolean): void => {
    element.removeEventListener("pointermove", move as EventListener);
    element.removeEventListener("pointerup", drop);
    element.removeEventListener("pointercancel", drop);
    removeEventListener("keydown", escape, true);
    end(cancelled);
  };
  const drop = (now: Event): void => stop(now.type === "pointercancel");
  const escape = (now: KeyboardEvent): void => {
    if (now.key !== "Escape") return;
    now.stopPropagation();
    stop(true);
  };
  element.addEventListener("pointermove", move as EventListener);
  element.addEventListener("pointerup", drop);
  element.addEventListener("pointercancel", drop);
  addEventListener("keydown", escape, true);
}
