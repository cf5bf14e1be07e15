import { describe, expect, it, vi } from "vitest";

import { GESTURES, playGesture } from "./gestures";

/** MIDI 1.0: the status byte says what comes, program change and channel pressure have one byte of data, others two. */
function isMessage([status, ...data]: number[]): boolean {
  const kind = status! & 0xf0;
  const wanted = kind === 0xc0 || kind === 0xd0 ? 1 : 2;
  return status! >= 0x80 && status! < 0xf0 && data.length === wanted && data.every((byte) => byte >= 0 && byte < 0x80);
}

describe.each(Object.entries(GESTURES))("%s", (_, moments) => {
  it("is made of whole MIDI messages", () => {
    for (const [, ...bytes] of moments) expect(isMessage(bytes), bytes.join(" ")).toBe(true);
  });

  it("lets go of every note that it strikes, later", () => {
    const struck = moments.filter(([, status]) => (status! & 0xf0) === 0x90);
    expect(struck.length).toBeGreaterThan(0);
    for (const [at, status, key] of struck)
      expect(moments.some((one) => one[0] > at && one[1] === (status! & 0x0f) + 0x80 && one[2] === key)).toBe(true);
  });

  it("opens an MPE zone for its notes and closes it (M1-100-UM, zones by RPN 6 on the manager channel)", () => {
    const sizes = moments.filter(([, status, number]) => status === 0xb0 && number === 6).map(([, , , members]) => members);
    expect(sizes[0]).toBeGreaterThan(0);
    expect(sizes.at(-1)).toBe(0);
    const channels = moments.filter(([, status]) => (status! & 0xf0) === 0x90).map(([, status]) => status! & 0x0f);
    expect(Math.max(...channels)).toBeLessThanOrEqual(sizes[0]!);
  });
});

describe("playing a gesture", () => {
  it("sends its moments in the order of time", async () => {
    vi.useFakeTimers();
    const sent: number[][] = [];
    const playing = playGesture(
      [
        [30, 0x80, 60, 0],
        [0, 0x90, 60, 90],
      ],
      (bytes) => sent.push(bytes),
      () => true,
    );
    await vi.advanceTimersByTimeAsync(10);
    expect(sent).toEqual([[0x90, 60, 90]]);
    await vi.advanceTimersByTimeAsync(40);
    await playing;
    expect(sent).toHaveLength(2);
    vi.useRealTimers();
  });

  it("leaves no note hanging where it is stopped", async () => {
    const sent: number[][] = [];
    let going = true;
    await playGesture(
      GESTURES["Swelling chord"]!,
      (bytes) => {
        sent.push(bytes);
        if ((bytes[0]! & 0xf0) === 0x90) going = false;
      },
      () => going,
    );
    // all notes off: controller 123
    expect(sent).toContainEqual([0xb0, 123, 0]);
    expect(sent.at(-1)).toEqual([0xb0, 6, 0]);
  });
});
