import { createPinia } from "pinia";
import { type App, createApp, nextTick } from "vue";
import { afterEach, beforeEach, describe, expect, it } from "vitest";

import { useLive } from "../stores/live";
import OutputMeter from "./OutputMeter.vue";

describe("the output meter", () => {
  let app: App;
  let host: HTMLElement;
  beforeEach(() => {
    host = document.createElement("div");
    app = createApp(OutputMeter).use(createPinia());
    app.mount(host);
  });
  afterEach(() => app.unmount());
  const button = () => host.querySelector("button");

  async function heard(...held: number[]) {
    const live = useLive();
    for (const held_db of held) {
      live.look = { ...live.look, held_db, peaks: [0.5, 0.5] };
      await nextTick();
    }
  }

  it("says nothing of a ceiling that took nothing away", async () => {
    await heard(0, -0.05);
    expect(button()).toBeNull();
    expect(host.querySelector("[role=meter]")!.getAttribute("aria-valuetext")).toBe("\u22126.0 dB");
  });
  it("remembers the most that was taken away until it is looked at", async () => {
    await heard(-2, -6.24, -1, 0, 0);
    expect(button()!.textContent!.trim()).toBe("ceiling \u22126.2");
    button()!.click();
    await nextTick();
    expect(button()).toBeNull();
    await heard(-1.5);
    expect(button()!.textContent!.trim()).toBe("ceiling \u22121.5");
  });
});
