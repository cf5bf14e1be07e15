import { useVirtualList } from "@vueuse/core";
import { nextTick, toValue, watch, type MaybeRef } from "vue";

/**
 * A long list of rows of one height, of which only those in view are drawn.
 *
 * As `useVirtualList`, and where the list becomes shorter than it was scrolled to, it is shown from where it
 * now ends: else nothing would be in view, and no way back to it.
 */
export function useRows<T>(rows: MaybeRef<T[]>, itemHeight: number, overscan = 6) {
  const virtual = useVirtualList(rows as MaybeRef<T[]>, { itemHeight, overscan });
  watch(
    () => toValue(rows).length,
    async (now, before) => {
      const box = virtual.containerProps.ref.value;
      if (!box || now >= before) return;
      await nextTick();
      const last = Math.max(0, now - Math.floor(box.clientHeight / itemHeight));
      if (box.scrollTop > last * itemHeight) virtual.scrollTo(last);
    },
  );
  return virtual;
}
