import { describe, expect, it, vi } from "vitest";
import { createApp, defineComponent, h, nextTick, ref } from "vue";

import TypedEntry from "./TypedEntry.vue";

/** An entry in something that is drawn anew whenever `beat` changes. */
function shown(take: (text: string) => boolean | void, rows = 0) {
  const beat = ref(0);
  const value = ref("as it was");
  const around = defineComponent(
    () => () => h("div", [String(beat.value), h(TypedEntry, { value: value.value, rows, class: "wide", take: (text) => take(text) })]),
  );
  const root = document.createElement("div");
  createApp(around).mount(root);
  const entry = root.querySelector(rows ? "textarea" : "input") as HTMLInputElement;
  const type = (text: string) => {
    entry.value = text;
    entry.dispatchEvent(new Event("input"));
  };
  return { beat, value, entry, type };
}

describe("an entry that is typed into", () => {
  it.each([0, 2])("of %i rows keeps what is typed while what is around it is drawn anew, and hands it over", async (rows) => {
    const take = vi.fn();
    const { beat, entry, type } = shown(take, rows);
    expect(entry.className).toBe("wide");
    type("");
    beat.value++;
    await nextTick();
    expect(entry.value).toBe("");
    entry.dispatchEvent(new Event("change"));
    expect(take).toHaveBeenCalledExactlyOnceWith("");
  });

  it("shows what stands where what was typed is none, and what came from elsewhere", async () => {
    const { value, entry, type } = shown(() => false);
    type("nonsense");
    entry.dispatchEvent(new Event("change"));
    await nextTick();
    expect(entry.value).toBe("as it was");
    value.value = "another";
    await nextTick();
    expect(entry.value).toBe("another");
  });
});
