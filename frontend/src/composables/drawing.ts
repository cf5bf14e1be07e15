import { useElementSize } from "@vueuse/core";
import { onBeforeUnmount, type Ref, watch, type WatchSource } from "vue";

import { useLight } from "../theme/light";

const waiting = new Set<() => void>();
let frame = 0;

/** Draw with the next frame; asked several times before it, drawn once. One loop for the whole page. */
export function drawSoon(paint: () => void): void {
  waiting.add(paint);
  frame ||= requestAnimationFrame(() => {
    frame = 0;
    const now = [...waiting];
    waiting.clear();
    for (const one of now) one();
  });
}

/**
 * A canvas that is drawn anew when something it shows has changed, and only then.
 *
 * `paint` is given a cleared context in CSS pixels. Size and light are looked after.
 */
export function useDrawing(
  canvas: Ref<HTMLCanvasElement | undefined>,
  paint: (pen: CanvasRenderingContext2D) => void,
  shown: WatchSource[],
) {
  const { width, height } = useElementSize(canvas);
  const { light } = useLight();

  function draw(): void {
    const element = canvas.value;
    const pen = element?.getContext("2d");
    if (!element || !pen || width.value < 2) return;
    const ratio = devicePixelRatio;
    const [w, h] = [Math.round(width.value * ratio), Math.round(height.value * ratio)];
    if (element.width !== w || element.height !== h) [element.width, element.height] = [w, h];
    pen.setTransform(ratio, 0, 0, ratio, 0, 0);
    pen.clearRect(0, 0, width.value, height.value);
    pen.globalAlpha = 1;
    paint(pen);
  }

  const ask = (): void => drawSoon(draw);
  // colours of the other light are there once the page has taken it on
  watch([...shown, width, height, light], ask, { flush: "post", immediate: true });
  onBeforeUnmount(() => waiting.delete(draw));
  return { width, height, ask };
}
