/** Recording from a microphone, sent to the server piece by piece as it runs. */
import { api, ApiError, wanted } from "../api/client";
import type { Capture } from "../api/types";
import processorUrl from "./capture.processor.ts?worker&url";

const PIECE_S = 1;
const TRIES = 5;

/** Which input is opened; an empty device or a rate of 0 leaves it to the browser. */
export interface Input {
  device: string;
  channels: number;
  rate: number;
}

export interface Progress {
  seconds: number;
  /** Highest sample since the last report, 0..1. */
  peak: number;
  /** Seconds that are safe on the server. */
  safe: number;
}

/** One capture under way. Refusals come as errors with one sentence. */
export class Recorder {
  private waiting: Float32Array[] = [];
  private collected = 0;
  private sent = 0;
  private sending: Promise<void> = Promise.resolve();
  private seconds = 0;
  private safe = 0;
  private running = false;

  /** The capture on the server, once it is asked for. */
  capture: Capture | null = null;

  private constructor(
    readonly rate: number,
    readonly channels: number,
    private context: AudioContext,
    private stream: MediaStream,
    private monitor: GainNode,
    node: AudioWorkletNode,
    private told: (progress: Progress) => void,
    private failed: (text: string) => void,
  ) {
    node.port.onmessage = ({ data }: MessageEvent<Float32Array>) => this.take(data);
    for (const track of stream.getAudioTracks())
      track.onended = () => this.running && this.failed("The microphone was unplugged: what was captured until then is kept.");
  }

  /** Ask for the microphone and get ready; levels are told, nothing is kept yet. */
  static async open(input: Input, told: (progress: Progress) => void, failed: (text: string) => void): Promise<Recorder> {
    const stream = await microphone(input);
    const context = new AudioContext(input.rate ? { sampleRate: input.rate } : {});
    try {
      await context.audioWorklet.addModule(processorUrl);
      const node = new AudioWorkletNode(context, "bloom-capture", { numberOfOutputs: 0 });
      const monitor = new GainNode(context, { gain: 0 });
      const source = context.createMediaStreamSource(stream);
      source.connect(node);
      source.connect(monitor).connect(context.destination);
      await context.resume();
      const has = stream.getAudioTracks()[0]?.getSettings().channelCount === 2 ? 2 : 1;
      const channels = Math.min(has, input.channels);
      node.port.postMessage({ channels });
      return new Recorder(context.sampleRate, channels, context, stream, monitor, node, told, failed);
    } catch (error) {
      stream.getTracks().forEach((track) => track.stop());
      await context.close();
      throw error;
    }
  }

  /** Hear the input, or not. */
  hear(on: boolean): void {
    this.monitor.gain.setTargetAtTime(on ? 1 : 0, this.context.currentTime, 0.01);
  }

  /** Make room for the capture on the server. */
  async prepare(): Promise<void> {
    this.capture ??= await wanted(api.POST("/api/captures", { body: { rate: this.rate, channels: this.channels } }));
  }

  begin(): void {
    this.running = true;
  }

  private take(samples: Float32Array): void {
    let peak = 0;
    for (const value of samples) peak = Math.max(peak, Math.abs(value));
    if (this.running) this.collect(samples);
    this.told({ seconds: this.seconds, peak, safe: this.safe });
  }

  private collect(samples: Float32Array): void {
    const { rate, channels, most_s } = this.capture!;
    this.waiting.push(samples);
    this.collected += samples.length;
    this.seconds += samples.length / channels / rate;
    if (this.collected >= PIECE_S * rate * channels) this.flush();
    if (this.seconds >= most_s) {
      this.running = false;
      this.failed("Thirty minutes are the most for one capture: it is kept up to here.");
    }
  }

  private flush(): void {
    if (!this.collected) return;
    const piece = new Float32Array(this.collected);
    let at = 0;
    for (const part of this.waiting) {
      piece.set(part, at);
      at += part.length;
    }
    this.waiting = [];
    this.collected = 0;
    const number = this.sent++;
    this.sending = this.sending.then(() => this.send(number, piece));
  }

  private async send(number: number, piece: Float32Array): Promise<void> {
    const url = `/api/captures/${this.capture!.id}/${number}`;
    for (let turn = 1; ; turn++) {
      try {
        const answer = await fetch(url, { method: "PUT", body: piece as BlobPart as never });
        const state = await answer.json();
        if (!answer.ok) throw new ApiError(state.message, answer.status);
        this.safe = state.seconds;
        return;
      } catch (error) {
        if (error instanceof ApiError || turn >= TRIES) {
          this.running = false;
          this.failed(error instanceof ApiError ? error.message : "The server does not answer: what reached it is kept there.");
          return;
        }
        await new Promise((resolve) => setTimeout(resolve, 400 * turn));
      }
    }
  }

  /** Stop, and wait until everything is on the server. */
  async stop(): Promise<void> {
    this.running = false;
    this.flush();
    this.stream.getTracks().forEach((track) => track.stop());
    await this.sending;
    await this.context.close().catch(() => undefined);
  }
}

/** The inputs there are; their names are known once one was allowed. */
export async function inputs(): Promise<{ id: string; name: string }[]> {
  const found = (await navigator.mediaDevices?.enumerateDevices()) ?? [];
  return found
    .filter(({ kind, deviceId }) => kind === "audioinput" && deviceId)
    .map(({ deviceId, label }, i) => ({ id: deviceId, name: label || `Input ${i + 1}` }));
}

async function microphone({ device, channels, rate }: Input): Promise<MediaStream> {
  if (!navigator.mediaDevices) throw new Error("This page may not use a microphone: open it from this machine's own address.");
  try {
    // what a phone call wants, a recording does not
    const audio: MediaTrackConstraints = { echoCancellation: false, noiseSuppression: false, autoGainControl: false };
    audio.channelCount = { ideal: channels };
    if (device) audio.deviceId = { exact: device };
    if (rate) audio.sampleRate = { ideal: rate };
    return await navigator.mediaDevices.getUserMedia({ audio });
  } catch (error) {
    const name = error instanceof DOMException ? error.name : "";
    if (name === "NotFoundError" || name === "OverconstrainedError")
      throw new Error("No microphone was found: connect one and try again.", { cause: error });
    if (name === "NotAllowedError")
      throw new Error("The browser did not allow the microphone: allow it beside the address, and try again.", { cause: error });
    throw new Error("The microphone could not be opened: is another program using it?", { cause: error });
  }
}
