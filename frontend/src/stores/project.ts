import { defineStore } from "pinia";
import { ref, shallowRef } from "vue";

import { api, wanted } from "../api/client";
import type { Declared, Exporter, ProjectSettings, Registry } from "../api/types";
import { useNotices } from "./notices";
import type { Owner, Role } from "./owners";

/** Settings of the project and the registry of parameters. */
export const useProject = defineStore("project", () => {
  const settings = ref<ProjectSettings>({ project: "", tuning: 440, ring_blocks: 6, keep_days: 30, keep_gb: 12, scheduler: "" });
  const catalogue = shallowRef<Registry>({
    whole: [],
    kinds: {},
    layer_kinds: [],
    effect_kinds: [],
    buses: [],
    sends: [],
    members: [],
    entries: [],
    sources: [],
    modulator_kinds: [],
    routes: [],
    take: [],
    stems: [],
    clips: [],
    polarities: [],
    envelope_steepness: 6,
    longest_stretch_s: 180,
    most_layers: 8,
    most_members: 8,
    ensemble: [],
    players: [],
    phrase: [],
    variations: [],
    samples: [],
    most_players: 0,
    most_snapshots: 0,
    most_buses: 4,
  });

  const exporters = shallowRef<Exporter[]>([]);

  /** What may be set of an owner. */
  function declaredOf({ role, kind }: Owner): Declared[] {
    const { whole, kinds, modulator_kinds: modulators, effect_kinds: effects, routes, sends, buses } = catalogue.value;
    const named = <T extends { id: string }>(list: T[]): T | undefined => list.find(({ id }) => id === kind);
    const found: Record<Role, Declared[] | undefined> = {
      instrument: whole,
      layer: kinds[kind],
      modulator: named(modulators)?.parameters,
      effect: named(effects)?.declared,
      route: routes,
      send: sends,
      bus: buses,
    };
    return found[role] ?? [];
  }

  async function load(): Promise<void> {
    settings.value = await wanted(api.GET("/api/settings"));
    catalogue.value = await wanted(api.GET("/api/parameters"));
    exporters.value = (await wanted(api.GET("/api/exporters"))).exporters;
  }

  async function change(edit: Partial<ProjectSettings>): Promise<void> {
    try {
      settings.value = await wanted(api.PATCH("/api/settings", { body: edit as ProjectSettings }));
    } catch (error) {
      useNotices().complain(error);
    }
  }

  return { settings, catalogue, exporters, declaredOf, load, change };
});
