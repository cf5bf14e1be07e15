/** One moment of a gesture: when in ms, and the bytes of a MIDI message. */
export type Moment = [at: number, ...bytes: number[]];

const bend = (at: number, channel: number, semitones: number): Moment => {
  // a member channel bends by 48 semitones either way (RP-053)
  const value = Math.round(8_192 + (semitones / 48) * 8_191);
  return [at, 0xe0 | channel, value & 0x7f, value >> 7];
};
const sweep = (from: number, to: number, steps: number, make: (share: number, at: number) => Moment): Moment[] =>
  Array.from({ length: steps + 1 }, (_, i) => make(i / steps, from + ((to - from) * i) / steps));

/** Makes channel 1 the manager of a zone with so many members, and takes it back. */
const zone = (at: number, members: number): Moment[] => [
  [at, 0xb0, 101, 0],
  [at, 0xb0, 100, 6],
  [at, 0xb0, 6, members],
];

/** Gestures that show what an instrument does with touch, for those without the hardware. */
export const GESTURES: Record<string, Moment[]> = {
  "Rising slide": [
    ...zone(0, 4),
    [10, 0x91, 57, 90],
    ...sweep(200, 2_600, 48, (share, at) => [at, 0xb1, 74, Math.round(127 * share)]),
    [3_000, 0x81, 57, 40],
    ...zone(3_200, 0),
  ],
  "Swelling chord": [
    ...zone(0, 4),
    ...[45, 52, 60, 64].map((key, i): Moment => [20 + 120 * i, 0x91 + i, key, 70 + 8 * i]),
    ...[0, 1, 2, 3].flatMap((i) =>
      sweep(700 + 150 * i, 2_700 + 150 * i, 30, (share, at) => [at, 0xd1 + i, Math.round(127 * Math.sin(Math.PI * share))]),
    ),
    ...[45, 52, 60, 64].map((key, i): Moment => [3_400, 0x81 + i, key, 30]),
    ...zone(3_600, 0),
  ],
  "Two that part": [
    ...zone(0, 4),
    [10, 0x91, 57, 80],
    [10, 0x92, 57, 80],
    ...sweep(500, 2_500, 40, (share, at) => bend(at, 1, 7 * share)),
    ...sweep(500, 2_500, 40, (share, at) => bend(at, 2, -5 * share)),
    [3_200, 0x81, 57, 64],
    [3_200, 0x82, 57, 64],
    ...zone(3_400, 0),
  ],
};

/** Send the moments of a gesture as their time comes, until it ends or is stopped. */
export async function playGesture(moments: Moment[], send: (bytes: number[]) => void, going: () => boolean): Promise<void> {
  const begun = performance.now();
  const ordered = [...moments].sort((a, b) => a[0] - b[0]);
  for (const [at, ...bytes] of ordered) {
    const wait = begun + at - performance.now();
    if (wait > 1) await new Promise((done) => setTimeout(done, wait));
    if (!going()) break;
    send(bytes);
  }
  if (!going()) {
    send([0xb0, 123, 0]);
    for (const [, ...bytes] of zone(0, 0)) send(bytes);
  }
}
