import type { Component } from "vue";

import { number, type Settings } from "../../api/types";
import TableStratum from "./TableStratum.vue";
import WavePicture from "./WavePicture.vue";

/** A stretch of the sound that a layer is busy with, in %. */
export interface Stretch {
  left: number;
  right: number;
  /** Whether its ends can be taken hold of: those of a loop. */
  ends: boolean;
}

/** How a kind of layer is pictured. */
export interface LayerView {
  /** What is drawn in place of the waveform of its sound. */
  picture?: (settings: Settings) => Component;
  /** The stretch around which it reads, of a sound of so many seconds. */
  stretch?: (settings: Settings, seconds: number | null) => Stretch | null;
  /** Whether read-heads are drawn; grains are wherever there are any. */
  heads?: boolean;
  /** What a sound of its own adds, on the button that asks for one. */
  asks?: string;
  /** Whether each of its sounds is frames of a wavetable. */
  frames?: boolean;
}

function loop(settings: Settings, seconds: number | null): Stretch | null {
  if (!seconds) return null;
  const left = number(settings, "loop_start");
  return { left, right: Math.min(100, left + number(settings, "loop_length") / 10 / seconds), ends: true };
}

const VIEWS: Record<string, LayerView> = {
  cloud: {
    heads: true,
    stretch: (s) => {
      if (s.gather === "a likeness") return null;
      const [at, scatter] = [number(s, "position"), number(s, "position_scatter")];
      return { left: Math.max(0, at - scatter), right: Math.min(100, at + scatter), ends: false };
    },
  },
  loop: { heads: true, stretch: (s, seconds) => (s.loop === "off" ? null : loop(s, seconds)) },
  spectral: {
    heads: true,
    stretch: (s, seconds) => (s.motion === "speed" && ["loop", "back-and-forth"].includes(String(s.at_end)) ? loop(s, seconds) : null),
  },
  wave: { picture: (s) => (s.shape === "table" ? TableStratum : WavePicture), asks: "Take frames from a recording", frames: true },
  noise: { heads: true, asks: "Colour it by a recording" },
};

/** How a kind is pictured; one that is not known, by the waveform of its sound. */
export function viewOf(kind: string): LayerView {
  return VIEWS[kind] ?? { heads: true };
}
