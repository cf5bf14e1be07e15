import { defineStore } from "pinia";
import { ref } from "vue";

import { api, type Catalogue, type ProjectSettings, wanted } from "../api/client";
import { useNotices } from "./notices";

/** Settings of the project and the registry of parameters. */
export const useProject = defineStore("project", () => {
  const settings = ref<ProjectSettings>({ project: "", tuning: 440, ring_blocks: 6 });
  const catalogue = ref<Catalogue>({ whole: [], kinds: {} });

  async function load(): Promise<void> {
    settings.value = await wanted(api.GET("/api/settings"));
    catalogue.value = await wanted(api.GET("/api/parameters"));
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
