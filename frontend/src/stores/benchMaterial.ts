import { computed, ref, shallowRef } from "vue";

import { api, wanted } from "../api/client";
import { revisedAt } from "../api/revised";
import type { Instrument, Recording } from "../api/types";
import { type Revision, useRevisions } from "../composables/revisions";
import { useBench } from "./bench";
import { useLive } from "./live";
import { entered, returnStrip, useMaking } from "./materials";
import { useNotices } from "./notices";

/** The path of one recording in a request. */
export const at = (id: number) => ({ params: { path: { recording_id: id } } });

interface Asked<Made> {
  /** Where its document with revisions is. */
  address: (id: number) => string;
  make: (id: number) => Promise<{ made: Made | null; job: string | null }>;
  keep: (id: number, name: string) => Promise<{ job: string }>;
  /** An instrument that plays it as it is now. */
  audition: (id: number) => Promise<Instrument>;
  /** Its pictures; called anew whenever other things were made. */
  look: (made: Made) => Promise<void>;
  /** What has to be known before it is shown. */
  begin: () => Promise<void>;
  /** Nothing of what was open before is shown any longer. */
  clear: () => void;
}

/** A material with a recipe of its own on the Bench: revisions, what they make, hearing and keeping it. */
export function useBenchMaterial<T extends object, R extends Revision<T>, Made extends { key: string }>(asked: Asked<Made>) {
  const recording = ref<Recording | null>(null);
  const made = shallowRef<Made | null>(null);
  const making = useMaking<Made>(
    () => asked.make(recording.value!.id),
    (next) => void see(next),
  );
  // made of what is stored
  const wire = revisedAt<T, R>(asked.address, () => void (revisions.saving.value || making.make()));
  const revisions = useRevisions(wire);
  let seen = "";

  async function open(id: number): Promise<boolean> {
    try {
      await asked.begin();
      const found = await wanted(api.GET("/api/recordings/{recording_id}", at(id)));
      const revision = await wire.load(id);
      recording.value = found;
      made.value = null;
      seen = "";
      asked.clear();
      revisions.open(revision);
      useBench().remember(id);
      return true;
    } catch (error) {
      useNotices().complain(error);
      return false;
    }
  }

  async function see(next: Made): Promise<void> {
    made.value = next;
    if (seen === next.key) return;
    try {
      await asked.look(next);
      if (made.value !== next) return;
      seen = next.key;
      await audition();
    } catch (error) {
      useNotices().complain(error);
    }
  }

  /** Let the play strip sound what is on the bench. */
  async function audition(): Promise<void> {
    const now = made.value;
    if (!now || !recording.value) return;
    const playable = await asked.audition(recording.value.id);
    if (made.value === now) useLive().borrow(playable);
  }

  function leave(): void {
    recording.value = null;
    made.value = null;
    making.drop();
    revisions.close();
    returnStrip();
  }

  async function keep(name: string): Promise<number | null> {
    await revisions.settled();
    return entered(() => asked.keep(recording.value!.id, name));
  }

  return {
    recording,
    made,
    working: making.working,
    problem: making.problem,
    document: revisions.shown,
    undoLabel: computed(() => revisions.base.value?.undo ?? null),
    redoLabel: computed(() => revisions.base.value?.redo ?? null),
    open,
    leave,
    audition,
    /** Change the recipe, at once and as a revision. */
    edit: revisions.edit,
    /** Show a value as it is dragged, without storing it. */
    drag: revisions.drag,
    ask: revisions.ask,
    back: revisions.step,
    keep,
  };
}
