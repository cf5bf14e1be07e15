import { defineStore } from "pinia";
import { useDebounceFn } from "@vueuse/core";
import { computed, ref, shallowRef, watch } from "vue";

import { api, upload, wanted } from "../api/client";
import type { components } from "../api/schema";
import type { Recording, RecordingEdit, RecordingLine } from "../api/types";
import { folderOf } from "./dropped";
import { useImports } from "./imports";
import { useJobs } from "./jobs";
import { useNotices } from "./notices";
import { useShelf } from "./shelf";

type Alike = components["schemas"]["Alike"];

export interface Filters {
  kind: "" | "recording" | "clip" | "wavetable" | "spectrum";
  character: "" | "tonal" | "partly tonal" | "noisy";
  pitched: "" | "yes" | "no";
  root: number | null;
  shortest: number | null;
  longest: number | null;
  quietest: number | null;
  loudest: number | null;
  tag: string;
  place: string;
  collection: string;
  like: number | null;
  order: "added" | "name" | "length" | "root" | "loudness" | "peak" | "tonal";
  descending: boolean;
}

export const NO_FILTERS: Filters = {
  kind: "",
  character: "",
  pitched: "",
  root: null,
  shortest: null,
  longest: null,
  quietest: null,
  loudest: null,
  tag: "",
  place: "",
  collection: "",
  like: null,
  order: "added",
  descending: true,
};

const USUAL = { order: NO_FILTERS.order, descending: NO_FILTERS.descending };

/** Filters as a query, without those that say nothing. */
const asQuery = (filters: Filters) =>
  Object.fromEntries(Object.entries(filters).filter(([, value]) => value !== "" && value !== null && value !== false));

interface Sending {
  name: string;
  share: number;
}

/** Field: what of the shelf is shown, what is chosen, and adding to it. */
export const useField = defineStore("field", () => {
  const shelf = useShelf();
  /** Ids of what was looked for, in order; null where everything is shown. */
  const found = shallowRef<number[] | null>(null);
  const recordings = computed(() =>
    found.value === null ? shelf.recordings.toReversed() : found.value.flatMap((id) => shelf.byId.get(id) ?? []),
  );
  const loaded = computed(() => shelf.loaded);
  /** How and why each is like the one that others are compared with. */
  const alike = shallowRef(new Map<number, Alike>());
  const chosenId = ref<number | null>(null);
  /** All that is known of the chosen sound. */
  const detail = shallowRef<Recording | null>(null);
  const query = ref("");
  const wantedOnly = ref<Filters>({ ...NO_FILTERS });
  const picked = ref<number[]>([]);
  const filtered = computed(
    () => query.value !== "" || Object.keys(asQuery(wantedOnly.value)).some((key) => key !== "order" && key !== "descending"),
  );
  const sending = ref<Sending | null>(null);
  const left = ref(0);
  const undos: { back: () => Promise<void> }[] = [];
  let stop = new AbortController();
  let asked = 0;

  const chosen = computed(() => (chosenId.value === null ? null : (shelf.byId.get(chosenId.value) ?? null)));
  watch([chosenId, () => shelf.recordings], show);

  /** Bring what is known of the chosen sound up to date. */
  async function show(): Promise<void> {
    const id = chosenId.value;
    if (id === null || !shelf.byId.has(id)) return void (detail.value = null);
    try {
      const known = await wanted(api.GET("/api/recordings/{recording_id}", { params: { path: { recording_id: id } } }));
      if (id === chosenId.value) detail.value = known;
    } catch (error) {
      if (id === chosenId.value && detail.value?.id !== id) detail.value = null;
      useNotices().complain(error);
    }
  }

  /** Look for what is wanted, without asking for the shelf again. */
  async function find(): Promise<void> {
    const number = ++asked;
    const said = { q: query.value, ...asQuery(wantedOnly.value) };
    // the shelf itself is known, newest first
    const everything = Object.entries(said).every(([key, value]) => value === (key in USUAL ? USUAL[key as keyof typeof USUAL] : ""));
    try {
      const answer = everything ? null : await wanted(api.GET("/api/recordings/found", { params: { query: said } }));
      if (number !== asked) return;
      found.value = answer?.ids ?? null;
      alike.value = new Map(answer?.alike?.map((one) => [one.id, one]));
    } catch (error) {
      useNotices().complain(error);
    }
    const shown = new Set(recordings.value.map(({ id }) => id));
    picked.value = picked.value.filter((id) => shown.has(id));
    if (!chosen.value) chosenId.value = recordings.value[0]?.id ?? null;
  }

  /** Ask for the shelf again, and look anew. */
  async function load(): Promise<void> {
    await shelf.load();
    await find();
  }

  // files that come in by hundreds are shown together
  const loadSoon = useDebounceFn(load, 150, { maxWait: 1_000 });
  useJobs().onElsewhere(({ result }) => {
    if (shelf.loaded && (result.recording !== null || result.recordings.length)) void loadSoon();
  });

  /** Send files one after another; each is measured by a job. What came of each is in the report. */
  async function add(files: File[]): Promise<void> {
    const report = useImports();
    stop = new AbortController();
    left.value = files.length;
    const lines = report.begin(files);
    for (const [i, file] of files.entries()) {
      if (stop.signal.aborted) {
        report.end(lines[i]!, { state: "refused", why: "Stopped before it was sent." });
        continue;
      }
      sending.value = { name: file.name, share: 0 };
      const progress = (share: number) => (sending.value = { name: file.name, share });
      await sendFile(file, lines[i]!, progress);
      left.value -= 1;
    }
    left.value = 0;
    sending.value = null;
  }

  async function sendFile(file: File, line: number, progress: (share: number) => void): Promise<void> {
    const report = useImports();
    try {
      const where = `/api/recordings?${new URLSearchParams({ collection: folderOf(file).slice(0, 80) })}`;
      const answer = await upload(where, file, progress, stop.signal);
      if (answer.job) {
        void useJobs()
          .ended(answer.job)
          .then(async (job) => {
            if (job.state === "done") await arrived(job.result.recording);
            report.end(
              line,
              job.state === "done" ? { state: "in", id: job.result.recording } : { state: "refused", why: job.error || "Stopped." },
            );
          });
        return;
      }
      await arrived(answer.recording ?? null);
      report.end(line, { state: "known", id: answer.recording ?? null, why: answer.message ?? "" });
    } catch (error) {
      report.end(line, { state: "refused", why: error instanceof Error ? error.message : String(error) });
    }
  }

  async function arrived(id: number | null): Promise<void> {
    await loadSoon();
    if (id !== null && shelf.byId.has(id)) chosenId.value = id;
  }

  /** What a range is picked from: what was clicked or stepped to, not what only had the focus on the way. */
  let anchor: number | null = null;

  function choose(id: number, anchors: boolean): void {
    chosenId.value = id;
    if (anchors) anchor = id;
  }

  function pick(id: number): void {
    anchor = id;
    picked.value = picked.value.includes(id) ? picked.value.filter((one) => one !== id) : [...picked.value, id];
  }

  /** Pick everything from what was clicked last to another sound, as it stands in the list. */
  function pickTo(id: number): void {
    const ids = recordings.value.map((one) => one.id);
    const ends = [ids.indexOf(anchor ?? id), ids.indexOf(id)].sort((a, b) => a - b);
    picked.value = [...new Set([...picked.value, ...ids.slice(Math.max(0, ends[0]!), ends[1]! + 1)])];
  }

  function order(by: Filters["order"], descending: boolean): void {
    wantedOnly.value = { ...wantedOnly.value, order: by, descending, like: null };
    void find();
  }

  const stopAdding = () => stop.abort();

  async function edit(recording: Recording, change: RecordingEdit): Promise<void> {
    const before = Object.fromEntries(Object.keys(change).map((key) => [key, recording[key as keyof Recording]]));
    await send(recording.id, change);
    undos.push({ back: () => send(recording.id, before) });
  }

  async function send(id: number, change: RecordingEdit): Promise<void> {
    const path = { recording_id: id };
    try {
      await wanted(api.PATCH("/api/recordings/{recording_id}", { params: { path }, body: change }));
    } catch (error) {
      useNotices().complain(error);
    }
    await load();
  }

  async function remove(recording: RecordingLine): Promise<void> {
    const path = { recording_id: recording.id };
    try {
      await wanted(api.DELETE("/api/recordings/{recording_id}", { params: { path } }));
    } catch (error) {
      useNotices().complain(error);
      return;
    }
    undoable(`'${recording.name}' is off the shelf.`, () => restore(recording.id));
    const index = recordings.value.findIndex(({ id }) => id === recording.id);
    await load();
    const next = recordings.value[Math.min(index, recordings.value.length - 1)];
    chosenId.value = next?.id ?? null;
  }

  /** Say what was done and offer the way back, which Undo takes too. */
  function undoable(words: string, back: () => Promise<void>): void {
    const entry = { back };
    undos.push(entry);
    useNotices().say(words, () => {
      undos.splice(undos.indexOf(entry), 1);
      void back().catch((error) => useNotices().complain(error));
    });
  }

  /** Delete or tag several at once; the notice offers the way back. */
  async function batch(action: "delete" | "tag" | "untag", ids: number[], tag = ""): Promise<void> {
    const ask = (what: "delete" | "restore" | "tag" | "untag", of: number[]) =>
      wanted(api.POST("/api/recordings/batch", { body: { recordings: of, action: what, tag } }));
    try {
      const { changed } = await ask(action, ids);
      const back = action === "delete" ? "restore" : action === "tag" ? "untag" : "tag";
      const words = { delete: "off the shelf", tag: `tagged “${tag}”`, untag: `no longer tagged “${tag}”` }[action];
      const count = `${changed.length} ${changed.length === 1 ? "sound is" : "sounds are"}`;
      if (changed.length) undoable(`${count} ${words}.`, async () => (await ask(back, changed), load()));
    } catch (error) {
      useNotices().complain(error);
    }
    await load();
  }

  async function restore(id: number): Promise<void> {
    const path = { recording_id: id };
    await wanted(api.POST("/api/recordings/{recording_id}/restore", { params: { path } }));
    await arrived(id);
  }

  /** Take back the last rename, note or delete. */
  async function undo(): Promise<void> {
    const last = undos.pop();
    if (last) await last.back().catch((error) => useNotices().complain(error));
  }

  /** A new instrument from a recording; gives its id. */
  async function grow(recording: { id: number }, at: number): Promise<number | null> {
    const path = { recording_id: recording.id };
    const asked = api.POST("/api/recordings/{recording_id}/instrument", {
      params: { path },
      body: { at_s: at },
    });
    try {
      return (await wanted(asked)).id;
    } catch (error) {
      useNotices().complain(error);
      return null;
    }
  }

  return {
    recordings,
    alike,
    loaded,
    chosen,
    detail,
    chosenId,
    query,
    wantedOnly,
    picked,
    filtered,
    sending,
    left,
    choose,
    pick,
    pickTo,
    order,
    find,
    load,
    add,
    arrived,
    stopAdding,
    edit,
    remove,
    batch,
    undoable,
    undo,
    grow,
  };
});
