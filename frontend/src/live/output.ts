import type { LiveAnswer, LiveMessage, Look, Seen, Taken } from "../api/types";
import processorUrl from "./processor.ts?worker&url";

export interface Listener {
  state(state: "open" | "closed"): void;
  /** How it looks, after which so many blocks are still to be played. */
  look(look: Look, ahead: number): void;
  loaded(): void;
  seen(seen: Seen): void;
  taken(taken: Taken): void;
  recalled(snapshot: string): void;
  problem(text: string, final: boolean): void;
  dropout(): void;
  ring(blocks: number): void;
  sounding(now: boolean): void;
}

const RATE = 48_000;

/** The way from the engine's socket, through a worker and a worklet, to the ears. */
export class Output {
  private worker = new Worker(new URL("./live.worker.ts", import.meta.url), { type: "module" });
  private context: AudioContext | null = null;
  private gate: GainNode | null = null;

  constructor(private listener: Listener) {
    this.worker.onmessage = ({ data }) => this.fromWorker(data);
  }

  /** Start the audio device; has to be called from a click, key or touch. */
  async start(): Promise<void> {
    if (!this.context) {
      const context = new AudioContext({ sampleRate: RATE, latencyHint: "interactive" });
      await context.audioWorklet.addModule(processorUrl);
      const node = new AudioWorkletNode(context, "bloom", {
        numberOfInputs: 0,
        outputChannelCount: [2],
      });
      const channel = new MessageChannel();
      node.port.postMessage({ feed: channel.port1 }, [channel.port1]);
      node.port.onmessage = ({ data }) => this.listener.sounding(data.sounding);
      this.worker.postMessage({ feed: channel.port2 }, [channel.port2]);
      this.gate = new GainNode(context);
      node.connect(this.gate).connect(context.destination);
      this.context = context;
    }
    await this.context.resume();
  }

  async stop(): Promise<void> {
    this.worker.postMessage({ close: true });
    await this.context?.suspend();
  }

  connect(port: number, ticket: string, ring: number): void {
    const url = `ws://${location.hostname}:${port}/?ticket=${encodeURIComponent(ticket)}`;
    this.worker.postMessage({ open: url, ring });
  }

  /** Let nothing of what is on its way be heard: closed within 10 ms, for so many ms. */
  silence(ms: number): void {
    if (!this.context || !this.gate) return;
    const { gain } = this.gate;
    const now = this.context.currentTime;
    gain.cancelScheduledValues(now);
    gain.setValueAtTime(gain.value, now);
    gain.linearRampToValueAtTime(0, now + 0.008);
    gain.setValueAtTime(0, now + ms / 1_000);
    gain.linearRampToValueAtTime(1, now + ms / 1_000 + 0.01);
  }

  send(message: LiveMessage): void {
    this.worker.postMessage({ send: message });
  }

  /** Latency of the audio device as the browser states it, in ms. */
  get deviceMs(): number {
    const context = this.context;
    return context ? 1_000 * ((context.baseLatency || 0) + (context.outputLatency || 0)) : 0;
  }

  private fromWorker(data: { state?: "open" | "closed"; dropout?: boolean; ring?: number; ahead?: number; answer?: LiveAnswer }): void {
    if (data.ring) this.listener.ring(data.ring);
    if (data.state) this.listener.state(data.state);
    if (data.dropout) this.listener.dropout();
    const answer = data.answer;
    if (!answer) return;
    if (answer.is === "look") this.listener.look(answer, data.ahead ?? 0);
    else if (answer.is === "seen") this.listener.seen(answer);
    else if (answer.is === "taken") this.listener.taken(answer);
    else if (answer.is === "recalled") this.listener.recalled(answer.snapshot);
    else if (answer.is === "loaded") this.listener.loaded();
    else this.listener.problem(answer.text, answer.final ?? false);
  }
}
