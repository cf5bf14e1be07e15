import { defineStore } from "pinia";
import { shallowRef } from "vue";

import { api, wanted } from "../api/client";
import type { Declared, SpectrumDocument, SpectrumMade, SpectrumPicture, SpectrumRevision } from "../api/types";
import { at, useBenchMaterial } from "./benchMaterial";
import { entered } from "./materials";

const URL = "/api/recordings/{recording_id}/spectrum";

/** The spectrum on the Bench: its settings with revisions, its picture, and hearing its parts. */
export const useSpectrum = defineStore("spectrum", () => {
  const words = shallowRef<Declared[]>([]);
  const picture = shallowRef<SpectrumPicture | null>(null);

  const material = useBenchMaterial<SpectrumDocument, SpectrumRevision, SpectrumMade>({
    address: (id) => `/api/recordings/${id}/spectrum`,
    make: (id) => wanted(api.POST(`${URL}/make`, at(id))),
    keep: (id, name) => wanted(api.POST(`${URL}/keep`, { ...at(id), body: { name } })),
    audition: (id) => wanted(api.GET(`${URL}/audition`, at(id))),
    begin: async () => void (words.value = (await wanted(api.GET("/api/spectra/words"))).settings),
    look,
    clear: () => (picture.value = null),
  });
  const { drag, ...shared } = material;

  async function look({ key }: SpectrumMade): Promise<void> {
    const found = await wanted(api.GET("/api/spectra/{key}/picture", { params: { path: { key } } }));
    if (shared.made.value?.key === key) picture.value = found;
  }

  /** Show a setting as it is dragged, without storing it. */
  function move(id: string, value: number): void {
    drag(`/sound/analysis/${id}`, value);
  }

  /** Take a recording apart and put its spectrum on the shelf; gives its id. */
  async function make(id: number): Promise<number | null> {
    return entered(() => wanted(api.POST("/api/spectra", { body: { recording: id, name: "" } })));
  }

  return { ...shared, words, picture, move, make };
});
