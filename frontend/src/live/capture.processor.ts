/** Hands what the microphone gives to the page, interleaved, a few thousand frames at a time. */
const FRAMES = 2048;

class Capture extends AudioWorkletProcessor {
  private channels = 1;
  private filled = 0;
  private buffer = new Float32Array(FRAMES);

  constructor() {
    super();
    this.port.onmessage = ({ data }: MessageEvent<{ channels: number }>) => {
      this.channels = data.channels;
      this.buffer = new Float32Array(FRAMES * data.channels);
      this.filled = 0;
    };
  }

  process(inputs: Float32Array[][]): boolean {
    const input = inputs[0];
    const left = input?.[0];
    if (!left) return true;
    const right = input[1] ?? left;
    for (let i = 0; i < left.length; i++) {
      this.buffer[this.filled++] = left[i]!;
      if (this.channels === 2) this.buffer[this.filled++] = right[i]!;
      if (this.filled >= this.buffer.length) {
        this.port.postMessage(this.buffer, [this.buffer.buffer]);
        this.buffer = new Float32Array(FRAMES * this.channels);
        this.filled = 0;
      }
    }
    return true;
  }
}

registerProcessor("bloom-capture", Capture);
