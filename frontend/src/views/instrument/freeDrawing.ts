/** A curve drawn freely: values evenly spaced, filled in as the pointer passes. */
import { type Ref } from "vue";

/** Values of a curve. */
const VALUES = 128;
type Place = [across: number, value: number];

export function useFreeDrawing(values: Ref<number[]>) {
  let last: Place = [0, 0];

  function begin(at: Place): void {
    if (values.value.length !== VALUES) values.value = Array.from({ length: VALUES }, (_, i) => i / (VALUES - 1));
    last = at;
  }

  function to([t, v]: Place): void {
    const [from, was] = last;
    const first = Math.round(Math.min(from, t) * (VALUES - 1));
    const final = Math.round(Math.max(from, t) * (VALUES - 1));
    for (let i = first; i <= final; i++) {
      const share = t === from ? 1 : (i / (VALUES - 1) - from) / (t - from);
      values.value[i] = Math.min(1, Math.max(0, was + (v - was) * Math.min(1, Math.max(0, share))));
    }
    last = [t, v];
  }

  return { begin, to };
}
