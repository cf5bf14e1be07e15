/** Whether the computer's letters are notes now, or commands of what has the focus: never both. */
import { readonly, ref } from "vue";

/** Regions whose letters are commands carry this. */
const COMMANDS = "[data-letters=commands]";

const notes = ref(true);

function look(): void {
  notes.value = !(document.activeElement?.closest(COMMANDS) ?? false);
}

addEventListener("focusin", look);
// the focus has moved on only after its event
addEventListener("focusout", () => queueMicrotask(look));

/** Whether a key's letter is a note. */
export const areNotes = (target: EventTarget | null): boolean => !(target instanceof Element && target.closest(COMMANDS) !== null);

export const lettersAreNotes = readonly(notes);
