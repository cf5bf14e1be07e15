import { ref } from "vue";

import { useLive } from "../stores/live";
import { useNotices } from "../stores/notices";

export const keyboards = ref<string[]>([]);
export const midiState = ref<"unknown" | "ready" | "refused" | "missing">("unknown");
export const lastMessageAt = ref(0);

const NOTE_ON = 0x90;

/** Hand one MIDI message, from a keyboard or from its stand-in on screen, to the engine. */
export function receive(data: Uint8Array): void {
  const bytes = [...data];
  // clocks and sensing say nothing that the engine needs to know
  if (!bytes.length || bytes[0]! >= 0xf0) return;
  lastMessageAt.value = performance.now();
  const message = { do: "midi" as const, data: bytes };
  if ((bytes[0]! & 0xf0) === NOTE_ON && bytes[2]) useLive().send(message);
  else if (useLive().state === "on") useLive().tell(message);
  else if (useLive().state === "starting") useLive().send(message);
}

/** Listen to every keyboard that is or will be connected. */
export async function openMidi(): Promise<void> {
  if (!navigator.requestMIDIAccess) {
    midiState.value = "missing";
    return;
  }
  try {
    const access = await navigator.requestMIDIAccess();
    const attach = () => {
      keyboards.value = [...access.inputs.values()].map((input) => input.name ?? "keyboard");
      for (const input of access.inputs.values()) input.onmidimessage = (event) => event.data && receive(event.data);
    };
    access.onstatechange = attach;
    attach();
    midiState.value = "ready";
  } catch {
    midiState.value = "refused";
  }
}

/** Say what is missing where a keyboard or its controllers are waited for. */
export function sayIfNoMidi(): void {
  if (keyboards.value.length) return;
  const why = {
    ready: "No MIDI keyboard is connected: connect one, or move a wheel of the stand-in on the strip.",
    refused: "The browser did not allow MIDI: allow it beside the address, or use the stand-in on the strip.",
    missing: "This browser has no MIDI: use the stand-in on the strip.",
    unknown: "",
  }[midiState.value];
  if (why) useNotices().say(why);
}
