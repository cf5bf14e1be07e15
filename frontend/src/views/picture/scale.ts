import { inject, type InjectionKey, provide, type Ref } from "vue";

/** How many pixels a frame is wide. */
const PIXELS: InjectionKey<Readonly<Ref<number>>> = Symbol("pixels a frame");

export const provideScale = (pixels: Readonly<Ref<number>>): void => provide(PIXELS, pixels);

export function useScale(): Readonly<Ref<number>> {
  const pixels = inject(PIXELS);
  if (!pixels) throw new Error("no scale");
  return pixels;
}
