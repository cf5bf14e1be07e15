import { expect, it } from "vitest";
import { computed, createApp, h, nextTick, ref } from "vue";

import { useRows } from "./rows";

const ROW_PX = 100;

/** A list that shows 300 px, as a browser would lay it out. */
function listed(count: number) {
  const rows = ref(Array.from({ length: count }, (_, i) => i));
  let virtual!: ReturnType<typeof useRows<number>>;
  const app = createApp({
    setup() {
      virtual = useRows(
        computed(() => rows.value),
        ROW_PX,
        1,
      );
      return () => h("div", virtual.containerProps);
    },
  });
  app.mount(document.createElement("div"));
  const box = virtual.containerProps.ref.value!;
  Object.defineProperty(box, "clientHeight", { value: 3 * ROW_PX });
  const seen = () => virtual.list.value.map(({ data }) => data);
  return { rows, box, seen, scroll: (to: number) => ((box.scrollTop = to), virtual.containerProps.onScroll()) };
}

it("shows the end of a list that has become shorter than it was scrolled to", async () => {
  const { rows, box, seen, scroll } = listed(200);
  scroll(150 * ROW_PX);
  expect(seen()).toContain(150);
  rows.value = rows.value.slice(0, 10);
  await nextTick();
  await nextTick();
  expect(box.scrollTop).toBe(7 * ROW_PX);
  expect(seen()).toEqual(expect.arrayContaining([7, 8, 9]));
});

it("stays where it is while there are rows to see", async () => {
  const { rows, box, seen, scroll } = listed(200);
  scroll(50 * ROW_PX);
  rows.value = rows.value.slice(0, 100);
  await nextTick();
  await nextTick();
  expect(box.scrollTop).toBe(50 * ROW_PX);
  expect(seen()).toContain(50);
});
