/** Owns the WebSocket: audio goes straight to the worklet and never touches the main thread. */

interface Open {
  open: string;
  ring: number;
}
type FromPage = Open | { feed: MessagePort } | { send: unknown } | { close: true };

const HIGHEST_RING = 12;
const DROPOUTS_TO_RAISE = 2;
const FORGET_MS = 10_000;
const CALM_MS = 30_000;

let feed: MessagePort | null = null;
let socket: WebSocket | null = null;
let ring = 6;
let wanted = 6;
let dropouts: number[] = [];
/** Blocks not asked for again, so that the ring drains to a smaller size. */
let owed = 0;
let lastChange = 0;
/** Blocks that have come and are not played yet. */
let ahead = 0;

function send(message: unknown): void {
  if (socket?.readyState === WebSocket.OPEN) socket.send(JSON.stringify(message));
}

function open({ open: url, ring: asked }: Open): void {
  close();
  ring = wanted = asked;
  dropouts = [];
  owed = ahead = 0;
  lastChange = Date.now();
  feed?.postMessage({ ring, reset: true });
  const opened = new WebSocket(url);
  opened.binaryType = "arraybuffer";
  opened.onopen = () => {
    send({ do: "credit", blocks: ring });
    postMessage({ state: "open", ring });
  };
  opened.onmessage = ({ data }: MessageEvent<ArrayBuffer | string>) => {
    if (typeof data === "string") return postMessage({ answer: JSON.parse(data), ahead });
    ahead += 1;
    feed?.postMessage(data, [data]);
  };
  opened.onclose = () => {
    if (socket === opened) postMessage({ state: "closed" });
  };
  socket = opened;
}

function close(): void {
  const closing = socket;
  socket = null;
  closing?.close();
}

function fromWorklet(data: { played?: number; dropout?: boolean }): void {
  if (data.played) {
    ahead = Math.max(0, ahead - data.played);
    if (owed > 0) owed -= 1;
    else send({ do: "credit", blocks: data.played });
    lowerRing();
  }
  if (data.dropout) {
    lastChange = Date.now();
    postMessage({ dropout: true });
    send({ do: "late" });
    raiseRing();
  }
}

/** Come back to the wanted latency, a block at a time, once it has been calm for a while. */
function lowerRing(): void {
  if (ring <= wanted || Date.now() - lastChange < CALM_MS) return;
  lastChange = Date.now();
  ring -= 1;
  owed += 1;
  feed?.postMessage({ ring });
  postMessage({ ring });
}

/** Keep one more block ready once dropouts come close together. */
function raiseRing(): void {
  const now = Date.now();
  dropouts = [...dropouts.filter((then) => now - then < FORGET_MS), now];
  if (dropouts.length < DROPOUTS_TO_RAISE || ring >= HIGHEST_RING) return;
  dropouts = [];
  ring += 1;
  feed?.postMessage({ ring });
  send({ do: "credit", blocks: 1 });
  postMessage({ ring });
}

onmessage = ({ data }: MessageEvent<FromPage>) => {
  if ("feed" in data) {
    feed = data.feed;
    feed.onmessage = (event) => fromWorklet(event.data);
  } else if ("open" in data) open(data);
  else if ("send" in data) send(data.send);
  else close();
};
