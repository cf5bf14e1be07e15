/** Putting what is on the bench on the shelf, and growing an instrument from it. */
import { useRouter } from "vue-router";

import { useField } from "../../stores/field";
import { useInstrument } from "../../stores/instrument";
import { useNotices } from "../../stores/notices";

export interface Kept {
  name: () => string;
  /** Puts it on the shelf under a name; gives its id there, or null. */
  keep: (name: string) => Promise<number | null>;
  back: (way: "undo" | "redo") => unknown;
}

export function useKeeping(material: Kept) {
  const router = useRouter();
  const field = useField();

  async function keep(): Promise<number | null> {
    const name = material.name();
    const id = await material.keep(name);
    if (id === null) return null;
    await field.load();
    useNotices().say(`'${name}' is on the shelf.`);
    return id;
  }

  async function grow(): Promise<void> {
    const kept = await keep();
    const found = field.recordings.find(({ id }) => id === kept);
    const id = found ? await field.grow(found, 0) : null;
    if (id === null) return;
    await useInstrument().list();
    await router.push(`/instrument/${id}`);
  }

  /** Undo, redo and Enter; `heard` is told whether Shift was held. */
  function key(event: KeyboardEvent, open: boolean, heard: (shift: boolean) => void): void {
    const target = event.target as HTMLElement;
    if (target.closest("input, textarea, select, [role=dialog], [role=menu]") || !open) return;
    const letter = event.key.toLowerCase();
    if ((event.ctrlKey || event.metaKey) && (letter === "z" || letter === "y")) void material.back(letter === "y" || event.shiftKey ? "redo" : "undo");
    else if (event.key === "Enter" && !target.closest("button, a, [role=slider], ol")) heard(event.shiftKey);
    else return;
    event.preventDefault();
  }

  return { keep, grow, key };
}
