/** Plays blocks of interleaved stereo as they come, and asks for one more for each one played. */

interface Told {
  ring?: number;
  reset?: boolean;
}

class BloomProcessor extends AudioWorkletProcessor {
  private blocks: Float32Array[] = [];
  private at = 0;
  private ring = 6;
  private running = false;
  private silent = true;
  private feed: MessagePort | null = null;

  constructor() {
    super();
    this.port.onmessage = (event: MessageEvent<{ feed: MessagePort }>) => {
      this.feed = event.data.feed;
      this.feed.onmessage = (message: MessageEvent<ArrayBuffer | Told>) => this.take(message.data);
    };
  }

  private take(data: ArrayBuffer | Told): void {
    if (data instanceof ArrayBuffer) {
      this.blocks.push(new Float32Array(data));
      return;
    }
    if (data.ring) this.ring = data.ring;
    if (data.reset) {
      this.blocks = [];
      this.at = 0;
      this.running = false;
    }
  }

  process(_: Float32Array[][], outputs: Float32Array[][]): boolean {
    const [left, right] = outputs[0] as [Float32Array, Float32Array];
    // starting with a full ring gives the engine its slack
    if (!this.running && this.blocks.length >= this.ring) this.running = true;
    if (!this.running) return true;
    for (let i = 0; i < left.length; i++) {
      const block = this.blocks[0];
      if (!block) {
        this.running = false;
        this.feed?.postMessage({ dropout: true });
        return true;
      }
      left[i] = block[this.at] ?? 0;
      right[i] = block[this.at + 1] ?? 0;
      this.at += 2;
      if (this.at >= block.length) this.finish(block);
    }
    return true;
  }

  private finish(block: Float32Array): void {
    this.blocks.shift();
    this.at = 0;
    this.feed?.postMessage({ played: 1 });
    const silent = block.every((value) => Math.abs(value) < 1e-4);
    if (silent !== this.silent) {
      this.silent = silent;
      this.port.postMessage({ sounding: !silent });
    }
  }
}

registerProcessor("bloom", BloomProcessor);
