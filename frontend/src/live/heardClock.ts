const BLOCK_S = 256 / 48_000;
/** What the limiter looks ahead by: a block. */
const AHEAD_S = BLOCK_S;
const KEPT = 9;

/**
 * Where what is listened to is at the ears, at any moment.
 *
 * The engine tells where it is now and then; how many blocks lie between that and what is played, and how
 * late the device is, is taken off. Of the last few, the one in the middle counts: one that came late
 * moves nothing.
 */
export class HeardClock {
  private offsets: number[] = [];

  /** The engine was at `place` s when a block was made that will be played after `blocks` others. */
  told(place: number, blocks: number, deviceMs: number, nowMs: number): void {
    const heard = place - blocks * BLOCK_S - AHEAD_S - deviceMs / 1_000;
    const offset = heard - nowMs / 1_000;
    // it has begun elsewhere
    if (Math.abs(offset - this.middle()) > 0.25) this.offsets = [];
    this.offsets = [...this.offsets, offset].slice(-KEPT);
  }

  reset(): void {
    this.offsets = [];
  }

  /** Seconds, or null where nothing is known. */
  at(nowMs: number): number | null {
    return this.offsets.length ? this.middle() + nowMs / 1_000 : null;
  }

  private middle(): number {
    const sorted = [...this.offsets].sort((a, b) => a - b);
    return sorted[Math.floor(sorted.length / 2)] ?? NaN;
  }
}
