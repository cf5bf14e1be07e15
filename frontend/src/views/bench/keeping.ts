/** Putting what is on the bench on the shelf, and growing an instrument from it. */
import { useRouter } from "vue-router";

import { useShortcuts } from "../../frame/shortcuts";
import { useField } from "../../stores/field";
import { useInstrument } from "../../stores/instrument";
import { useNotices } from "../../stores/notices";

export interface Kept {
  name: () => string;
  /** Puts it on the shelf under a name; gives its id there, or null. */
  keep: (name: string) => Promise<number | null>;
  back: (way: "undo" | "redo") => unknown;
  isOpen: () => boolean;
  listen: () => unknown;
  /** Hears it as its recording went, where it has one. */
  sweep?: () => unknown;
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
    const id = kept === null ? null : await field.grow({ id: kept }, 0);
    if (id === null) return;
    await useInstrument().list();
    await router.push(`/instrument/${id}`);
  }

  useShortcuts(
    {
      undo: () => material.back("undo"),
      redo: () => material.back("redo"),
      listen: () => material.listen(),
      sweep: () => (material.sweep ? material.sweep() : false),
    },
    material.isOpen,
  );

  return { keep, grow };
}
