import { defineStore } from "pinia";
import { computed, ref } from "vue";

import { api, upload, wanted } from "../api/client";
import type { Recording, RecordingEdit } from "../api/types";
import { useJobs } from "./jobs";
import { useNotices } from "./notices";

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
  like: null,
  order: "added",
  descending: false,
};

/** Filters as a query, without those that say nothing. */
const asQuery = (filters: Filters) =>
  Object.fromEntries(Object.entries(filters).filter(([, value]) => value !== "" && value !== null && value !== false));

interface Sending {
  name: string;
  share: number;
}

/** The shelf of recordings. */
export const useField = defineStore("field", () => {
  const recordings = ref<Recording[]>([]);
  const loaded = ref(false);
  const chosenId = ref<number | null>(null);
  const query = ref("");
  const wantedOnly = ref<Filters>({ ...NO_FILTERS });
  const tags = ref<string[]>([]);
  const places = ref<string[]>([]);
  const picked = ref<number[]>([]);
  const filtered = computed(
    () => query.value !== "" || Object.keys(asQuery(wantedOnly.value)).some((key) => key !== "order" && key !== "descending"),
  );
  const sending = ref<Sending | null>(null);
  const left = ref(0);
  const undos: { label: string; back: () => Promise<void> }[] = [];
  let stop = new AbortController();

  const chosen = computed(() => recordings.value.find(({ id }) => id === chosenId.value) ?? null);

  async function load(): Promise<void> {
    try {
      const asked = api.GET("/api/recordings", { params: { query: { q: query.value, ...asQuery(wantedOnly.value) } } });
      const found = await wanted(asked);
      recordings.value = found.recordings;
      tags.value = found.tags;
      places.value = found.places;
      picked.value = picked.value.filter((id) => found.recordings.some((one) => one.id === id));
      loaded.value = true;
    } catch (error) {
      useNotices().complain(error);
    }
    if (!chosen.value) chosenId.value = recordings.value[0]?.id ?? null;
  }

  /** Send files one after another; each is measured by a job. */
  async function add(files: File[]): Promise<void> {
    const notices = useNotices();
    stop = new AbortController();
    left.value = files.length;
    for (const file of files) {
      if (stop.signal.aborted) break;
      sending.value = { name: file.name, share: 0 };
      try {
        const progress = (share: number) => (sending.value = { name: file.name, share });
        const answer = await upload("/api/recordings", file, progress, stop.signal);
        if (answer.job) useJobs().follow(answer.job, (job) => arrived(job.result.recording));
        else {
          notices.say(answer.message ?? "");
          await arrived(answer.recording ?? null);
        }
      } catch (error) {
        notices.complain(error);
      }
      left.value -= 1;
    }
    left.value = 0;
    sending.value = null;
  }

  async function arrived(id: number | null): Promise<void> {
    await load();
    if (id !== null) chosenId.value = id;
  }

  const stopAdding = () => stop.abort();

  async function edit(recording: Recording, change: RecordingEdit, label: string): Promise<void> {
    const before = Object.fromEntries(Object.keys(change).map((key) => [key, recording[key as keyof Recording]]));
    await send(recording.id, change);
    undos.push({ label, back: () => send(recording.id, before) });
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

  async function remove(recording: Recording): Promise<void> {
    const path = { recording_id: recording.id };
    try {
      await wanted(api.DELETE("/api/recordings/{recording_id}", { params: { path } }));
    } catch (error) {
      useNotices().complain(error);
      return;
    }
    const entry = { label: "Delete", back: () => restore(recording.id) };
    undos.push(entry);
    useNotices().say(`'${recording.name}' is off the shelf.`, () => {
      undos.splice(undos.indexOf(entry), 1);
      void entry.back();
    });
    const index = recordings.value.findIndex(({ id }) => id === recording.id);
    await load();
    const next = recordings.value[Math.min(index, recordings.value.length - 1)];
    chosenId.value = next?.id ?? null;
  }

  /** Delete or tag several at once; the notice offers the way back. */
  async function batch(action: "delete" | "tag" | "untag", ids: number[], tag = ""): Promise<void> {
    const ask = (what: "delete" | "restore" | "tag" | "untag", of: number[]) =>
      wanted(api.POST("/api/recordings/batch", { body: { recordings: of, action: what, tag } }));
    try {
      const { changed } = await ask(action, ids);
      const back = action === "delete" ? "restore" : action === "tag" ? "untag" : "tag";
      const words = { delete: "off the shelf", tag: `tagged “${tag}”`, untag: `no longer tagged “${tag}”` }[action];
      if (changed.length) {
        const entry = { label: action, back: async () => (await ask(back, changed), load()) };
        undos.push(entry);
        useNotices().say(`${changed.length} ${changed.length === 1 ? "sound is" : "sounds are"} ${words}.`, () => {
          undos.splice(undos.indexOf(entry), 1);
          void entry.back();
        });
      }
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
  async function grow(recording: Recording, at: number): Promise<number | null> {
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
    loaded,
    chosen,
    chosenId,
    query,
    wantedOnly,
    tags,
    places,
    picked,
    filtered,
    sending,
    left,
    load,
    add,
    arrived,
    stopAdding,
    edit,
    remove,
    batch,
    undo,
    grow,
  };
});
