import { onBeforeUnmount, onMounted, type Ref } from "vue";

import { isCommand, isTyping } from "../frame/shortcuts";
import { areNotes } from "./letters";
import { player } from "./player";

/** Places of the computer's keys, by position on the board, as semitones above the octave's C. */
const PLACES = [
  ..."KeyZ KeyS KeyX KeyD KeyC KeyV KeyG KeyB KeyH KeyN KeyJ KeyM Comma KeyL Period".split(" ").map((code, i) => [code, i] as const),
  ..."KeyQ Digit2 KeyW Digit3 KeyE KeyR Digit5 KeyT Digit6 KeyY Digit7 KeyU KeyI Digit9 KeyO Digit0 KeyP"
    .split(" ")
    .map((code, i) => [code, i + 12] as const),
];
const SEMITONES = new Map<string, number>(PLACES);
const VELOCITY = 0.8;

/** Play from the computer's keys: two rows, two octaves. */
export function useKeys(octave: Ref<number>): void {
  const held = new Map<string, number>();

  function down(event: KeyboardEvent): void {
    const semitones = SEMITONES.get(event.code);
    if (semitones === undefined || event.repeat || event.ctrlKey || event.metaKey || event.altKey) return;
    if (isTyping(event.target) || !areNotes(event.target) || isCommand(event)) return;
    event.preventDefault();
    if (!held.has(event.code)) held.set(event.code, player.start(12 * (octave.value + 1) + semitones, VELOCITY));
  }

  function up(event: KeyboardEvent): void {
    const note = held.get(event.code);
    if (note !== undefined) player.end(note);
    held.delete(event.code);
  }

  function letAllGo(): void {
    for (const note of held.values()) player.end(note);
    held.clear();
  }

  onMounted(() => {
    window.addEventListener("keydown", down);
    window.addEventListener("keyup", up);
    window.addEventListener("blur", letAllGo);
  });
  onBeforeUnmount(() => {
    window.removeEventListener("keydown", down);
    window.removeEventListener("keyup", up);
    window.removeEventListener("blur", letAllGo);
    letAllGo();
  });
}
