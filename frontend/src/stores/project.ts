import { defineStore } from "pinia";
import { ref, shallowRef } from "vue";

import { api, type Registry, type ProjectSettings, wanted } from "../api/client";
import { useNotices } from "./notices";

/** Settings of the project and the registry of parameters. */
export const useProject = defineStore("project", () => {
  const settings = ref<ProjectSettings>({ project: "", tuning: 440, ring_blocks: 6 });
  const catalogue = shallowRef<Registry>({
    whole: [], kinds: {}, layer_kinds: [], members: [], entries: [], sources: [], modulator_kinds: [], routes: [], polarities: [],
    envelope_steepness: 6, longest_stretch_s: 180, most_layers: 8, most_members: 8,
  });

  async function load(): Promise<void> {
    settings.value = await wanted(api.GET("/api/settings"));
    catalogue.value = (await wanted(api.GET("/api/parameters"))) as unknown as Registry;
  }

  async function change(edit: Partial<ProjectSettings>): Promise<void> {
    try {
      settings.value = await wanted(api.PATCH("/api/settings", { body: edit as ProjectSettings }));
    } catch (error) {
      useNotices().complain(error);
    }
  }

  return { settings, catalogue, load, change };
});
