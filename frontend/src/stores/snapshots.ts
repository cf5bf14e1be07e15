import { useLocalStorage, watchDebounced } from "@vueuse/core";
import { defineStore } from "pinia";
import { computed, ref, shallowRef, watch } from "vue";

import { api, wanted } from "../api/client";
import type { Snapshot, SnapshotsTold } from "../api/types";
import { useInstrument } from "./instrument";
import { useLive } from "./live";
import { useNotices } from "./notices";
import { WHOLE } from "./owners";

const ASKED_MS = 150;
const SETTLED_MS = 400;
const NOTHING: SnapshotsTold = { snapshots: [], blended: [] };

export type When = "once" | "beat" | "bar";
export type Place = [across: number, up: number];

/** Snapshots of the instrument in hand: taken, recalled, put on the map, stood between. */
export const useSnapshots = defineStore("snapshots", () => {
  const instrument = useInstrument();
  const live = useLive();
  const when = useLocalStorage<When>("bloom-recall-at", "once");
  const told = shallowRef<SnapshotsTold>(NOTHING);
  const chosenId = ref<string | null>(null);
  const users = ref(0);
  let moving: ReturnType<typeof setTimeout> | undefined;

  const all = computed<Snapshot[]>(() => instrument.document?.snapshots ?? []);
  const placed = computed(() => all.value.filter(({ place }) => place));
  const chosen = computed(() => all.value.find(({ id }) => id === chosenId.value) ?? null);
  const about = computed(() => new Map(told.value.snapshots.map((one) => [one.id, one])));
  /** The one that everything is set as. */
  const current = computed(() => told.value.snapshots.find(({ changes }) => !changes.length)?.id ?? null);
  const place = computed<Place>(() => {
    const settings = instrument.document?.settings as Record<string, number> | undefined;
    return [(settings?.map_across ?? 50) / 100, (settings?.map_up ?? 50) / 100];
  });

  async function ask(): Promise<void> {
    const id = instrument.id;
    if (id === null || !users.value) return;
    try {
      const found = await wanted(api.GET("/api/instruments/{instrument_id}/snapshots", { params: { path: { instrument_id: id } } }));
      if (id === instrument.id) told.value = found;
    } catch (error) {
      useNotices().complain(error);
    }
  }
  watchDebounced([() => instrument.id, () => instrument.revision, users], ask, { debounce: ASKED_MS });
  watch(
    () => instrument.id,
    () => ([told.value, chosenId.value] = [NOTHING, null]),
  );

  /** Keep how everything is set now. */
  async function take(): Promise<void> {
    const before = new Set(all.value.map(({ id }) => id));
    if (await instrument.shoot({ do: "take snapshot" })) chosenId.value = all.value.find(({ id }) => !before.has(id))?.id ?? null;
  }

  /** Go into a snapshot: by the engine at its moment, or at once where there is no sound. */
  function recall(id: string): void {
    chosenId.value = id;
    // where one has just moved on the map comes first
    if (moving) rest();
    if (live.state === "on" && live.borrowed === null) live.tell({ do: "recall", snapshot: id, at: when.value });
    else void store(id);
  }

  /** What the engine has gone into is how the instrument is set from now on. */
  async function store(id: string): Promise<void> {
    if (!all.value.some((one) => one.id === id)) return;
    const left = about.value.get(id)?.left_out;
    if (!(await instrument.shoot({ do: "recall", snapshot: id })) || !left) return;
    const settings = left === 1 ? "1 setting was" : `${left} settings were`;
    useNotices().say(`${settings} left out: what they belong to is no longer there.`);
  }
  watch(
    () => live.recalled,
    (now) => now && void store(now.snapshot),
  );

  /** Move on the map: heard at once, stored when one rests. */
  function stand(to: Place): void {
    instrument.move(WHOLE, "map_across", 100 * to[0]);
    instrument.move(WHOLE, "map_up", 100 * to[1]);
    clearTimeout(moving);
    moving = setTimeout(rest, SETTLED_MS);
  }

  function rest(): void {
    clearTimeout(moving);
    moving = undefined;
    const [across, up] = place.value;
    const known = [
      { op: "replace" as const, path: "/settings/map_across", value: 100 * across },
      { op: "replace" as const, path: "/settings/map_up", value: 100 * up },
    ];
    void instrument.shoot({ do: "stand", across, up }, known);
  }

  const put = (id: string, where: Place | "free" | null) => instrument.shoot({ do: "put on the map", snapshot: id, place: where });

  async function putAll(): Promise<void> {
    for (const one of all.value) if (!one.place && !(await put(one.id, "free"))) return;
  }

  return { all, placed, chosenId, chosen, about, told, current, place, when, users, take, recall, stand, rest, put, putAll };
});
