import { ref } from "vue";

import { player } from "./player";

const BEND_CENTRE = 8_192;
const SUSTAIN = 64;
const SLIDE = 74;
const WHEEL = 1;

export const keyboards = ref<string[]>([]);
export const midiState = ref<"unknown" | "ready" | "refused" | "missing">("unknown");
export const lastMessageAt = ref(0);

const held = new Map<number, number>();

/**
 * Take one MIDI message, from a keyboard or from its stand-in on screen.
 *
 * The wheel and controller 74 both slide; channel pressure presses every held note.
 */
export function receive(data: Uint8Array, bendRange: number): void {
  const [status = 0, first = 0, second = 0] = data;
  const channel = status & 0x0f;
  const id = channel * 128 + first;
  lastMessageAt.value = performance.now();
  switch (status & 0xf0) {
    case 0x90:
      if (second > 0) {
        release(id);
        held.set(id, player.start(first, second / 127));
      } else release(id);
      break;
    case 0x80:
      release(id);
      break;
    case 0xe0:
      toChannel(channel, "bend", (((second << 7) | first) / BEND_CENTRE - 1) * bendRange);
      break;
    case 0xd0:
      toChannel(channel, "pressure", first / 127);
      break;
    case 0xa0: {
      const note = held.get(id);
      if (note !== undefined) player.change(note, "pressure", second / 127);
      break;
    }
    case 0xb0:
      if (first === SUSTAIN) player.hold(second >= 64);
      else if (first === SLIDE || first === WHEEL) toChannel(channel, "slide", second / 127);
      else if (first === 120 || first === 123) player.panic();
  }
}

function release(id: number): void {
  const note = held.get(id);
  if (note !== undefined) player.end(note);
  held.delete(id);
}

function toChannel(channel: number, what: "bend" | "slide" | "pressure", value: number): void {
  for (const [id, note] of held) if (id >> 7 === channel) player.change(note, what, value);
}

/** Listen to every keyboard that is or will be connected. */
export async function openMidi(bendRange: () => number): Promise<void> {
  if (!navigator.requestMIDIAccess) {
    midiState.value = "missing";
    return;
  }
  try {
    const access = await navigator.requestMIDIAccess();
    const attach = () => {
      keyboards.value = [...access.inputs.values()].map((input) => input.name ?? "keyboard");
      for (const input of access.inputs.values())
        input.onmidimessage = (event) => event.data && receive(event.data, bendRange());
    };
    access.onstatechange = attach;
    attach();
    midiState.value = "ready";
  } catch {
    midiState.value = "refused";
  }
}
