import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";

import { api, ApiError, wanted } from "../api/client";
import type { LiveMessage, Look, Seen, Taken, Timeline } from "../api/types";
import { HeardClock } from "../live/heardClock";
import { Output } from "../live/output";
import { useNotices } from "./notices";
import { useProject } from "./project";

type Listen = Extract<LiveMessage, { do: "listen" }>;
/** Another way to hear a sound: until a moment, a loop, a few cycles, a tone beside it. */
export type Heard = Partial<Pick<Listen, "until" | "gain" | "loop" | "cycle" | "tone">>;

/** An instrument as the engine takes it: whole, or only what differs from the defaults. */
type Playable = Extract<LiveMessage, { do: "load" }>["document"] & { name: string };
type State = "off" | "starting" | "on" | "reconnecting";

const BLOCK_MS = (1_000 * 256) / 48_000;
const NO_LOOK: Look = {
  is: "look",
  load: 0,
  peaks: [0, 0],
  voices: 0,
  held_db: 0,
  listening: null,
  heard: 0,
  layers: [],
  notes: [],
  moved: null,
  moving: null,
  mix: null,
  map: null,
  due: null,
  players: {},
  taking: { state: "idle", take: null, seconds: 0, marks: 0, beats: 0, extremes: [0, 0], moved: [], played: 0 },
};
const NOTHING_SEEN: Seen = { is: "seen", looks: 0, ranges: {}, clamped: {} };
const RETRY_MS = [200, 500, 1_000, 2_000, 4_000];

/** What of the mix is watched: the whole, and one stream or one effect by its id. */
interface WatchedMix {
  mix: boolean;
  stream: string | null;
  effect: string | null;
}

/** The live session: starting and stopping sound, staying connected, what sounds now. */
export const useLive = defineStore("live", () => {
  const state = ref<State>("off");
  const look = shallowRef<Look>(NO_LOOK);
  const seen = shallowRef<Seen>(NOTHING_SEEN);
  const dropouts = ref(0);
  const ring = ref(6);
  const sounding = ref(false);
  const firstSoundAt = ref(0);
  /** Sound has just been turned on, and the engine reads what is to be played. */
  const reading = ref(false);
  /** How many instruments the engine has taken up. */
  const loads = ref(0);
  /** The take that has last come to its end. */
  const taken = shallowRef<Taken | null>(null);
  /** The controller that a keyboard has last moved; anew with each movement. */
  const touched = shallowRef<{ controller: number } | null>(null);
  /** The snapshot that the engine has last gone into. */
  const recalled = shallowRef<{ snapshot: string } | null>(null);
  const listeningTo = ref<string | null>(null);
  /** Where a timeline began that is played along to while a take is recorded, in seconds. */
  const alongFrom = ref<number | null>(null);
  let tries = 0;
  let again: ReturnType<typeof setTimeout> | undefined;
  let watching = false;
  let watchedMix: WatchedMix = { mix: false, stream: null, effect: null };
  let listenNumber = 0;
  /** What is played: an instrument or an ensemble. */
  const inHand = shallowRef<Playable | null>(null);
  const playsEnsemble = computed(() => inHand.value?.format === "inner-bloom/ensemble");
  const borrowed = shallowRef<Playable | null>(null);
  let waiting: LiveMessage[] = [];
  let output: Output | null = null;

  const heardClock = new HeardClock();
  /** Where what is listened to is at the ears now, in seconds. */
  const heardAt = (): number | null => (listeningTo.value === null && alongFrom.value === null ? null : heardClock.at(performance.now()));

  /** What is on its way to the ears is not heard either. */
  const silence = () => output?.silence(latencyMs.value + 60);
  const latencyMs = computed(() => Math.round(ring.value * BLOCK_MS + (output?.deviceMs ?? 0)));

  function made(): Output {
    output ??= new Output({
      state: (now) => (now === "open" ? opened() : closed()),
      look: (now, ahead) => {
        look.value = now;
        if (now.listening !== null && now.heard === listenNumber) {
          heardClock.told(now.listening, ahead, output?.deviceMs ?? 0, performance.now());
        } else if (alongFrom.value !== null && now.taking.state === "recording") {
          heardClock.told(alongFrom.value + now.taking.seconds, ahead, output?.deviceMs ?? 0, performance.now());
        } else heardClock.reset();
        // two looks may come before a page is drawn: what was moved must not be lost with the first
        if (now.moved !== null) touched.value = { controller: now.moved };
        if (now.listening === null && now.heard === listenNumber) listeningTo.value = null;
      },
      loaded: () => {
        seen.value = NOTHING_SEEN;
        reading.value = false;
        loads.value++;
      },
      seen: (now) => (seen.value = now),
      taken: (now) => (taken.value = now),
      recalled: (snapshot) => (recalled.value = { snapshot }),
      problem: (text, final) => {
        if (final) state.value = "off";
        reading.value = false;
        useNotices().complain(text);
      },
      dropout: () => dropouts.value++,
      ring: (blocks) => (ring.value = blocks),
      sounding: (now) => {
        sounding.value = now;
        if (now) firstSoundAt.value = performance.now();
      },
    });
    return output;
  }

  function opened(): void {
    state.value = "on";
    tries = 0;
    const now = borrowed.value ?? inHand.value;
    if (now) made().send({ do: "load", document: now });
    reading.value = now !== null;
    tellWatched();
    waiting.forEach((message) => made().send(message));
    waiting = [];
  }

  function closed(): void {
    look.value = NO_LOOK;
    reading.value = false;
    if (state.value === "off") return;
    // the first time it is still to begin
    const now = state.value === "starting" ? state.value : "reconnecting";
    state.value = now;
    const wait = RETRY_MS[Math.min(tries++, RETRY_MS.length - 1)];
    clearTimeout(again);
    again = setTimeout(() => state.value === now && connect(), wait);
  }

  async function connect(): Promise<void> {
    try {
      const { port, ticket } = await wanted(api.POST("/api/live"));
      made().connect(port, ticket, useProject().settings.ring_blocks);
    } catch (error) {
      // an engine that is not there yet says how far it is, and is asked again
      if (error instanceof ApiError && error.status === 503) useNotices().say(error.message);
      else if (tries === 2) useNotices().complain(error);
      closed();
    }
  }

  /** Turn sound on; has to come from a click, key or touch. */
  async function start(): Promise<void> {
    if (state.value !== "off") return;
    state.value = "starting";
    dropouts.value = 0;
    try {
      await made().start();
    } catch {
      state.value = "off";
      useNotices().complain("The browser did not open an audio output: check that one is connected.");
      return;
    }
    await connect();
  }

  async function stop(): Promise<void> {
    clearTimeout(again);
    state.value = "off";
    look.value = NO_LOOK;
    listeningTo.value = null;
    reading.value = false;
    waiting = [];
    await output?.stop();
  }

  /** Send a gesture or a move; turns sound on if need be and then sends it. */
  function send(message: LiveMessage): void {
    if (state.value === "on") made().send(message);
    else {
      waiting.push(message);
      void start();
    }
  }

  /** Send what only matters while sound is on. */
  function tell(message: LiveMessage): void {
    if (state.value === "on") made().send(message);
  }

  const tellWatched = () => tell({ do: "watch", on: watching, ...watchedMix });

  /** Whether what moves is wanted for pictures. */
  function watchMovement(on: boolean): void {
    if (on === watching) return;
    watching = on;
    tellWatched();
  }

  /** Whether what the mixer does is wanted for pictures, and of which stream and effect more than that. */
  function watchMix(wanted: WatchedMix): void {
    if (wanted.mix === watchedMix.mix && wanted.stream === watchedMix.stream && wanted.effect === watchedMix.effect) return;
    watchedMix = wanted;
    tellWatched();
  }

  function load(loaded: Playable): void {
    inHand.value = loaded;
    if (borrowed.value === null) tell({ do: "load", document: loaded });
  }

  /** Play something else for a while; null gives the strip back to the instrument. */
  function borrow(other: Playable | null, back?: Playable): void {
    borrowed.value = other;
    if (back) inHand.value = back;
    const now = other ?? inHand.value;
    if (now) tell({ do: "load", document: now });
  }

  /** Hear a sound from a moment on, or in another way: a loop, a few cycles, a tone beside it. */
  function listen(digest: string | null, at: number, how: Heard = {}): void {
    listeningTo.value = digest ?? "tone";
    // what waits for the sound to start is replaced, not piled up
    waiting = waiting.filter((one) => one.do !== "listen");
    send({ do: "listen", id: ++listenNumber, recording: digest, at: Math.max(0, at), ...how });
  }

  /** Hear a take, or one that it was played again to, from a moment on. */
  function listenToTake(address: string, at: number, until: number | null = null): void {
    listeningTo.value = address;
    waiting = waiting.filter((one) => one.do !== "listen");
    send({ do: "listen", id: ++listenNumber, take: address, at: Math.max(0, at), until });
  }

  /** Hear a variation by its folder and number, at the gain in dB at which it is handed over. */
  function listenToVariation(address: string, gain: number): void {
    listeningTo.value = address;
    waiting = waiting.filter((one) => one.do !== "listen");
    send({ do: "listen", id: ++listenNumber, variation: address, at: 0, gain: Math.max(-60, Math.min(30, gain)) });
  }

  /** Hear a sample by its folder and number, or its loop, which closes by itself; times in seconds. */
  function listenToSample(address: string, loop: { start: number; end: number } | null): void {
    listeningTo.value = `${address}${loop ? " loop" : ""}`;
    waiting = waiting.filter((one) => one.do !== "listen");
    send({ do: "listen", id: ++listenNumber, sample: address, at: 0, ...(loop ? { loop: { ...loop, crossfade: 0 } } : {}) });
  }

  /** Hear one of a swap sheet by its folder and number. */
  function listenToSwap(address: string): void {
    listeningTo.value = address;
    waiting = waiting.filter((one) => one.do !== "listen");
    send({ do: "listen", id: ++listenNumber, swap: address, at: 0 });
  }

  /** Hear a timeline from a moment on; all its lanes are raised by `gain` dB. */
  function listenToTimeline(address: string, timeline: Timeline, at: number, gain: number): void {
    listeningTo.value = address;
    heardClock.reset();
    waiting = waiting.filter((one) => one.do !== "listen");
    const document = { ...timeline } as Record<string, unknown>;
    send({ do: "listen", id: ++listenNumber, timeline: document, at: Math.max(0, at), gain });
  }

  /** Go on with what was changed of it meanwhile. */
  function changeTimeline(address: string, timeline: Timeline, gain: number): void {
    if (listeningTo.value === address) tell({ do: "change timeline", document: { ...timeline } as Record<string, unknown>, gain });
  }

  function hush(): void {
    listeningTo.value = null;
    waiting = [];
    tell({ do: "hush" });
  }

  async function setRing(blocks: number): Promise<void> {
    await useProject().change({ ring_blocks: blocks });
    ring.value = blocks;
    if (state.value === "on") await connect();
  }

  return {
    state,
    look,
    seen,
    dropouts,
    ring,
    sounding,
    firstSoundAt,
    reading,
    loads,
    taken,
    touched,
    recalled,
    listeningTo,
    latencyMs,
    silence,
    borrowed,
    inHand,
    playsEnsemble,
    start,
    stop,
    send,
    tell,
    load,
    borrow,
    watchMovement,
    watchMix,
    listen,
    listenToTake,
    listenToVariation,
    listenToSample,
    listenToSwap,
    listenToTimeline,
    changeTimeline,
    heardAt,
    alongFrom,
    hush,
    setRing,
  };
});
