/** Which part of a sound is in view, in frames. */
import { ref } from "vue";

/** Less than this could not be told apart. */
const LEAST = 24;

export function useZoom(frames: () => number | undefined) {
  const view = ref({ from: 0, to: 1 });

  /** Look at a part, as far as there is one; keeps its middle. */
  function look(from: number, to: number): void {
    const all = frames() ?? 1;
    const span = Math.min(all, Math.max(LEAST, to - from));
    const start = Math.min(all - span, Math.max(0, from + (to - from - span) / 2));
    view.value = { from: start, to: start + span };
  }

  function whole(): void {
    view.value = { from: 0, to: frames() ?? 1 };
  }

  return { view, look, whole };
}
