/** Where everything of the mix lies: rows of streams, stations on them, sends across, and the whole. */
import type { Stream } from "../../../stores/mix";

const GAP = 8;
const WIDEST = 84;
const SEND_GAP = 26;
/** Room for the + at a chain's end. */
const ADD = 26;
/** Of the whole's own chain, under its picture. */
export const WHOLE_CHAIN = 46;

export interface Row {
  stream: Stream;
  /** Middle of the stream. */
  y: number;
  /** Height that its station may take. */
  height: number;
}

export interface Place {
  left: number;
  top: number;
  width: number;
  height: number;
}

export interface MixLayout {
  rows: Row[];
  /** Where names end and streams begin. */
  label: number;
  /** Where chains end and streams begin to bend. */
  chainEnd: number;
  /** Across, of each shared stream's column of sends, by its id. */
  sendX: Map<string, number>;
  whole: Place;
  /** Width of a station in the fullest chain. */
  station: number;
}

/** Lay out streams in a box; the last one is the whole. */
export function layOut(streams: readonly Stream[], width: number, height: number): MixLayout {
  const ways = streams.slice(0, -1);
  const buses = ways.filter(({ bus }) => bus);
  const between = buses.length ? 22 : 0;
  const each = Math.min(78, (height - between) / Math.max(1, ways.length));
  const label = Math.min(168, Math.max(112, width * 0.19));
  const wholeWidth = Math.min(340, Math.max(180, width * 0.31));
  const whole = { left: width - wholeWidth, top: 44, width: wholeWidth, height: Math.max(120, height - 44 - WHOLE_CHAIN - 12) };
  const columns = buses.length * SEND_GAP;
  const chainEnd = Math.max(label + 60, whole.left - Math.min(84, width * 0.09) - columns);
  const fullest = Math.max(2, ...ways.map(({ effects }) => effects.length));
  const station = Math.min(WIDEST, (chainEnd - label - GAP - ADD) / fullest - GAP);
  const rows = ways.map((stream, i) => ({
    stream,
    y: each * (i + 0.5) + (stream.bus ? between : 0),
    height: Math.min(40, each - 8),
  }));
  const sendX = new Map(buses.map(({ id }, i) => [id, chainEnd + 14 + i * SEND_GAP]));
  return { rows, label, chainEnd, sendX, whole, station };
}

/** Where a station lies on its row. */
export function stationAt(layout: MixLayout, row: Row, number: number): Place {
  const left = layout.label + GAP + number * (layout.station + GAP);
  return { left, top: row.y - row.height / 2, width: layout.station, height: row.height };
}

/** Before which station of a row something is dropped. */
export function dropAt(layout: MixLayout, x: number, count: number): number {
  const at = Math.round((x - layout.label - GAP) / (layout.station + GAP));
  return Math.min(count, Math.max(0, at));
}

/** How wide a stream is at a level in dB. */
export function widthAt(db: number | undefined, row: number): number {
  const share = db === undefined ? 0.35 : Math.min(1, Math.max(0, (db + 60) / 60));
  return Math.max(2, Math.min(30, row * 0.75) * share);
}

/** A bend from one place to another, level at both ends. */
export function bend(x: number, y: number, toX: number, toY: number): string {
  const middle = (x + toX) / 2;
  return `M${x},${y} C${middle},${y} ${middle},${toY} ${toX},${toY}`;
}
