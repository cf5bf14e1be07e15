import { until, useLocalStorage } from "@vueuse/core";
import { defineStore } from "pinia";
import { computed, ref, shallowRef, watch } from "vue";

import { api, upload, wanted } from "../api/client";
import type { Lane, LiveMessage, PlayedNote } from "../api/types";
import { useInstrument } from "./instrument";
import { useJobs } from "./jobs";
import { useLive } from "./live";
import { useNotices } from "./notices";

type Record = Extract<LiveMessage, { do: "record" }>;
type Backing = NonNullable<Record["backing"]>;
const QUIETER_DB = -6;
const LOADED_MS = 60_000;
const BEGUN_MS = 4_000;
const FULL_SCALE = 32_767;

/** A take that grows: its picture so far, and what the hands did. */
export interface Growing {
  seconds: number;
  /** Lowest and highest sample of each stretch between two looks. */
  pairs: number[];
  times: number[];
  notes: PlayedNote[];
  lanes: Lane[];
  marks: number[];
}
const nothing = (): Growing => ({ seconds: 0, pairs: [], times: [], notes: [], lanes: [], marks: [] });

/** Recording takes from the play strip: how they begin, what is played along to, the take as it grows. */
export const useTaking = defineStore("taking", () => {
  const live = useLive();
  const instrument = useInstrument();
  const notices = useNotices();
  /** How a take begins; kept in this browser. */
  const settings = useLocalStorage("bloom-taking", { wait: false, beats: 0, click: false });
  const backing = useLocalStorage<Backing | null>("bloom-backing", null, {
    serializer: { read: (text) => JSON.parse(text) as Backing | null, write: (value) => JSON.stringify(value) },
  });
  const state = computed(() => live.look.taking.state);
  const recording = computed(() => state.value === "recording");
  const growing = shallowRef(nothing());
  const overdub = shallowRef<{ take: number; over: NonNullable<Record["over"]>; done: (played: boolean) => void } | null>(null);
  /** A timeline that is played along to, and who wants the take. */
  const along = shallowRef<((take: number | null) => void) | null>(null);
  /** Whoever shows takes wants to know of new ones. */
  const entered = shallowRef<number[]>([]);
  /** The take that was last made on this page. */
  const fresh = shallowRef<number | null>(null);
  /** Name of a MIDI file that is being played, to be played along to. */
  const midi = ref("");
  let sounding = new Map<number, PlayedNote>();

  const about = () => ({
    instrument: live.borrowed || live.playsEnsemble ? null : instrument.id,
    name: live.borrowed?.name ?? live.inHand?.name ?? "",
  });

  function toggle(): void {
    if (state.value !== "idle") return live.tell({ do: "record", on: false });
    growing.value = nothing();
    sounding = new Map();
    live.send({
      do: "record",
      on: true,
      tempo: 0,
      ...settings.value,
      ...about(),
      backing: backing.value && { ...backing.value },
      over: null,
      timeline: null,
    });
  }

  /** Play the instrument in hand to a timeline, from a moment of its picture on; gives the take once it has ended. */
  function playTo(timeline: NonNullable<Record["timeline"]>, done: (take: number | null) => void): void {
    if (state.value !== "idle" || along.value) return;
    growing.value = nothing();
    sounding = new Map();
    along.value = done;
    live.alongFrom = timeline.at ?? 0;
    const begun = { wait: false, beats: 0, click: false, tempo: 0, backing: null, over: null };
    live.send({ do: "record", on: true, ...begun, ...about(), timeline });
    setTimeout(() => giveUp(done), BEGUN_MS);
  }

  /** What was asked for has not begun: why not has been said. */
  function giveUp(done: (take: number | null) => void): void {
    if (along.value !== done || state.value !== "idle") return;
    if (live.state === "starting") return void setTimeout(() => giveUp(done), BEGUN_MS);
    along.value = live.alongFrom = null;
    done(null);
  }

  async function endAlong(): Promise<void> {
    const done = along.value!;
    along.value = live.alongFrom = null;
    done(await enter());
  }

  /** Play some lanes of a take anew, while its other hands play by themselves; it ends like any take. */
  async function playOver(take: number, over: NonNullable<Record["over"]>, done: (played: boolean) => void): Promise<void> {
    if (state.value !== "idle") return;
    try {
      const document = await wanted(api.GET("/api/takes/{take_id}/document", { params: { path: { take_id: take } } }));
      const before = live.loads;
      live.borrow(document);
      if (live.state === "off") await live.start();
      await until(() => live.loads).toMatch((now) => now > before, { timeout: LOADED_MS, throwOnTimeout: true });
    } catch (error) {
      live.borrow(null);
      notices.complain(error instanceof Error ? error : "The instrument of this take could not be loaded.");
      return;
    }
    growing.value = nothing();
    sounding = new Map();
    overdub.value = { take, over, done };
    live.send({
      do: "record",
      on: true,
      wait: false,
      beats: 0,
      click: false,
      tempo: 0,
      instrument: null,
      name: "",
      backing: null,
      over,
      timeline: null,
    });
  }

  /** What was played over a take becomes a change of its hands. */
  async function layOver(folder: string): Promise<void> {
    const { take, over, done } = overdub.value!;
    overdub.value = null;
    live.borrow(null);
    const at = { params: { path: { take_id: take } } };
    try {
      const { revision } = await wanted(api.GET("/api/takes/{take_id}", at));
      const body = { revision, folder, lanes: over.lanes, at: over.at ?? 0 };
      await wanted(api.POST("/api/takes/{take_id}/overdub", { ...at, body }));
      done(true);
    } catch (error) {
      notices.complain(error);
      done(false);
    }
  }

  /** Play along to a sound, as loud as the one before it. */
  function playAlong(sound: { recording?: string; take?: string; name: string }): void {
    backing.value = { at: 0, gain: backing.value?.gain ?? QUIETER_DB, recording: null, take: null, ...sound };
  }

  /** A MIDI file becomes a take on the instrument in hand; once that is played, takes are played along to it. */
  async function playAlongMidi(file: File): Promise<void> {
    const of = about().instrument;
    if (of === null) return notices.complain("A MIDI file is played on an instrument: open one first.");
    midi.value = file.name;
    try {
      const signal = new AbortController().signal;
      const made = await upload<{ take: number; job: string }>(`/api/takes/midi?instrument=${of}`, file, () => undefined, signal);
      const played = await useJobs().ended(made.job);
      if (played.state !== "done") throw new Error(played.error || `'${file.name}' was stopped: nothing is played along to.`);
      const { document } = await wanted(api.GET("/api/takes/{take_id}", { params: { path: { take_id: made.take } } }));
      playAlong({ take: document.about.folder, name: document.name });
      entered.value = [made.take];
    } catch (error) {
      notices.complain(error);
    } finally {
      midi.value = "";
    }
  }

  const mark = () => live.tell({ do: "mark" });
  const keepPlayed = () => live.tell({ do: "keep_played", ...about() });

  watch(
    () => live.look,
    ({ taking, notes }) => {
      if (taking.state !== "recording") return;
      const { pairs, times, lanes, marks, notes: before } = growing.value;
      pairs.push(...taking.extremes.map((one) => Math.round(one * FULL_SCALE)));
      times.push(taking.seconds);
      for (const [note, key] of notes) {
        const found = sounding.get(note);
        if (found) found.end = taking.seconds;
        else {
          const begun = { start: taking.seconds, end: taking.seconds, key, velocity: 0.8 };
          sounding.set(note, begun);
          before.push(begun);
        }
      }
      const down = new Set(notes.map(([note]) => note));
      for (const note of sounding.keys()) if (!down.has(note)) sounding.delete(note);
      for (const { lane: id, value, low, high } of taking.moved) {
        const found = lanes.find((one) => one.id === id) ?? { id, name: id, low, high, points: [] };
        if (!found.points.length) lanes.push(found);
        Object.assign(found, { low, high });
        found.points.push([taking.seconds, value]);
      }
      while (marks.length < taking.marks) marks.push(taking.seconds);
      growing.value = { seconds: taking.seconds, pairs, times, lanes, marks, notes: before };
    },
  );

  /** Bring what was recorded among the takes; it is listened to at once. What was `made` here is shown. */
  async function enter(made = false): Promise<number | null> {
    try {
      const found = await wanted(api.POST("/api/takes/found"));
      found.problems.forEach((one) => notices.complain(one));
      for (const job of found.jobs) useJobs().follow(job, () => (entered.value = [...found.entered]));
      if (!found.entered.length) return null;
      if (made) fresh.value = found.entered.at(-1)!;
      entered.value = found.entered;
      return found.entered.at(-1)!;
    } catch (error) {
      notices.complain(error);
      return null;
    }
  }

  watch(
    () => live.taken,
    (taken) => taken && void (overdub.value ? layOver(taken.take) : along.value ? endAlong() : enter(true)),
  );

  return {
    settings,
    backing,
    midi,
    state,
    recording,
    growing,
    entered,
    fresh,
    overdub,
    along,
    toggle,
    playAlong,
    playAlongMidi,
    playOver,
    playTo,
    mark,
    keepPlayed,
    enter,
  };
});
