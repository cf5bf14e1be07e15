import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";

import { api, wanted } from "../api/client";
import { revisedAt } from "../api/revised";
import type { Declared, Recording, SpectrumDocument, SpectrumMade, SpectrumPicture, SpectrumRevision } from "../api/types";
import { useRevisions } from "../composables/revisions";
import { useBench } from "./bench";
import { useLive } from "./live";
import { entered, returnStrip, useMaking } from "./materials";
import { useNotices } from "./notices";

const URL = "/api/recordings/{recording_id}/spectrum";
const at = (id: number) => ({ params: { path: { recording_id: id } } });

/** The spectrum on the Bench: its settings with revisions, its picture, and hearing its parts. */
export const useSpectrum = defineStore("spectrum", () => {
  const recording = ref<Recording | null>(null);
  const words = shallowRef<Declared[]>([]);
  const made = shallowRef<SpectrumMade | null>(null);
  const picture = shallowRef<SpectrumPicture | null>(null);

  const making = useMaking<SpectrumMade>(
    () => wanted(api.POST(`${URL}/make`, at(recording.value!.id))),
    (next) => void see(next),
  );
  // made of what is stored
  const revisions = useRevisions(
    revisedAt<SpectrumDocument, SpectrumRevision>(
      (id) => `/api/recordings/${id}/spectrum`,
      () => void (revisions.saving.value || making.make()),
    ),
  );
  const document = revisions.shown;
  const undoLabel = computed(() => revisions.base.value?.undo ?? null);
  const redoLabel = computed(() => revisions.base.value?.redo ?? null);

  async function open(id: number): Promise<boolean> {
    try {
      words.value = (await wanted(api.GET("/api/spectra/words"))).settings;
      const found = await wanted(api.GET("/api/recordings/{recording_id}", at(id)));
      const revision = await wanted(api.GET(URL, at(id)));
      recording.value = found;
      made.value = picture.value = null;
      revisions.open(revision);
      useBench().remember(id);
      return true;
    } catch (error) {
      useNotices().complain(error);
      return false;
    }
  }

  async function see(next: SpectrumMade): Promise<void> {
    made.value = next;
    try {
      const found = await wanted(api.GET("/api/spectra/{key}/picture", { params: { path: { key: next.key } } }));
      if (made.value !== next) return;
      picture.value = found;
      await audition();
    } catch (error) {
      useNotices().complain(error);
    }
  }

  /** Let the play strip sound this spectrum: the mod wheel slows it, a finger's height moves its formants. */
  async function audition(): Promise<void> {
    const now = made.value;
    if (!now || !recording.value) return;
    const playable = await wanted(api.GET("/api/recordings/{recording_id}/spectrum/audition", at(recording.value.id)));
    if (made.value === now) useLive().borrow(playable);
  }

  function leave(): void {
    recording.value = null;
    made.value = null;
    making.drop();
    revisions.close();
    returnStrip();
  }

  /** Change settings, at once and as a revision. */
  function edit(label: string, change: (document: SpectrumDocument) => void): Promise<boolean> {
    return revisions.edit(label, change);
  }

  /** Show a setting as it is dragged, without storing it. */
  function move(id: string, value: number): void {
    revisions.drag(`/sound/analysis/${id}`, value);
  }

  /** Take a recording apart and put its spectrum on the shelf; gives its id. */
  async function make(id: number): Promise<number | null> {
    return entered(() => wanted(api.POST("/api/spectra", { body: { recording: id, name: "" } })));
  }

  async function keep(name: string): Promise<number | null> {
    await revisions.settled();
    return entered(() => wanted(api.POST(`${URL}/keep`, { ...at(recording.value!.id), body: { name } })));
  }

  return {
    recording,
    words,
    made,
    picture,
    working: making.working,
    problem: making.problem,
    document,
    undoLabel,
    redoLabel,
    open,
    leave,
    edit,
    move,
    back: revisions.step,
    make,
    keep,
  };
});
