import { expect, it, vi } from "vitest";

import { drawSoon } from "./drawing";

const frames = (count: number) =>
  new Promise<void>((done) => (count ? requestAnimationFrame(() => void frames(count - 1).then(done)) : done()));

it("draws once a frame however often it is asked, and nothing while nobody asks", async () => {
  const ask = vi.spyOn(globalThis, "requestAnimationFrame");
  const [one, other] = [vi.fn(), vi.fn()];
  for (let i = 0; i < 10; i++) {
    drawSoon(one);
    drawSoon(other);
  }
  expect(ask).toHaveBeenCalledOnce();
  await frames(2);
  expect(one).toHaveBeenCalledOnce();
  expect(other).toHaveBeenCalledOnce();
  ask.mockClear();
  await new Promise((done) => setTimeout(done, 50));
  expect(ask).not.toHaveBeenCalled();
});

it("draws what asks again while it is drawn with the frame after", async () => {
  let times = 0;
  const again = (): void => void (++times < 3 && drawSoon(again));
  drawSoon(again);
  await frames(6);
  expect(times).toBe(3);
});
