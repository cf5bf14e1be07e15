import { watchDebounced } from "@vueuse/core";
import { defineStore } from "pinia";
import { computed, ref, shallowRef, watch } from "vue";

import { api, upload, wanted } from "../api/client";
import { revisedAt } from "../api/revised";
import type { ClipOutline, Timeline, TimelineAction, TimelineClip, TimelineLine, TimelineReady, TimelineRevision } from "../api/types";
import { exactOf, timecodeOf } from "../charts/timecode";
import type { Patch } from "../composables/patches";
import { useRevisions } from "../composables/revisions";
import { isActive, useJobs } from "./jobs";
import { useLive } from "./live";
import { useNotices } from "./notices";
import { removeWithWayBack } from "./removal";
import { useTaking } from "./taking";

const URL = "/api/timelines/{timeline_id}";
const ASKED_MS = 250;
/** What the limiter looks ahead by. */
const LIMITER_MS = 256 / 48;
const at = (id: number) => ({ params: { path: { timeline_id: id } } });
type Asked<T> = T extends { do: string } ? Omit<T, "revision"> : never;

/** The timeline in hand: its film, scenes and lanes; what is chosen of it, whether it is ready, and where it plays. */
export const useTimeline = defineStore("timeline", () => {
  const live = useLive();
  const jobs = useJobs();
  const lines = ref<TimelineLine[]>([]);
  const listed = ref(false);
  const told = shallowRef<TimelineReady | null>(null);
  const outlines = shallowRef(new Map<string, ClipOutline>());
  const chosenId = ref<string | null>(null);
  /** The frame that is looked at while nothing plays. */
  const head = ref(0);
  const sent = ref<number | null>(null);
  const [filmJob, weighJob, stemsJob] = [ref<string | null>(null), ref<string | null>(null), ref<string | null>(null)];

  const revisions = useRevisions(revisedAt<Timeline, TimelineRevision>((id) => `/api/timelines/${id}`, undefined));
  const document = revisions.shown;
  const id = computed(() => revisions.base.value?.id ?? null);
  const revision = computed(() => revisions.base.value?.revision ?? 0);
  const undoLabel = computed(() => revisions.base.value?.undo ?? null);
  const redoLabel = computed(() => revisions.base.value?.redo ?? null);
  const rate = computed(() => document.value?.rate ?? "24");
  const clips = computed<TimelineClip[]>(() => document.value?.lanes.flatMap((lane) => lane.clips) ?? []);
  const chosen = computed(() => clips.value.find((one) => one.id === chosenId.value) ?? null);
  const laneOf = (clip: string) => document.value?.lanes.find((lane) => lane.clips.some((one) => one.id === clip)) ?? null;
  const jobOf = (of: typeof filmJob) => computed(() => jobs.jobs.find((one) => one.id === of.value) ?? null);
  const [film, weighing, handing] = [jobOf(filmJob), jobOf(weighJob), jobOf(stemsJob)];

  const timecode = (frame: number) =>
    document.value ? timecodeOf(document.value.start + frame, document.value.rate, document.value.drop) : "";
  const seconds = (frame: number) => frame / exactOf(rate.value);
  const frameAt = (time: number) => Math.round(time * exactOf(rate.value));

  // -- whether it is ready ------------------------------------------------------

  async function ask(): Promise<void> {
    const of = id.value;
    if (of === null) return void (told.value = null);
    try {
      const found = await wanted(api.GET(`${URL}/ready`, at(of)));
      if (of !== id.value) return;
      told.value = found;
      if (found.measure === null && clips.value.length) void weigh(of).catch((error) => useNotices().complain(error));
    } catch (error) {
      useNotices().complain(error);
    }
  }

  async function weigh(of: number): Promise<void> {
    if (isActive(weighing.value)) jobs.cancel(weighing.value!.id);
    const { job } = await wanted(api.POST(`${URL}/measure`, at(of)));
    weighJob.value = job;
    const ended = await jobs.ended(job);
    if (ended.state === "failed") useNotices().complain(ended.error);
    // one that was stopped has given way to a newer one: that is nothing to be told
    else if (ended.state === "done" && of === id.value) void ask();
  }
  watchDebounced([id, revision], ask, { debounce: ASKED_MS });

  const sources = computed(() => [...new Set(clips.value.map((one) => one.recording ?? one.take))].sort().join());
  watch([id, sources], async () => {
    const of = id.value;
    if (of === null) return;
    try {
      const found = await wanted(api.GET(`${URL}/outlines`, at(of)));
      if (of === id.value) outlines.value = new Map(found.outlines.map((one) => [one.source, one]));
    } catch (error) {
      useNotices().complain(error);
    }
  });

  watch(id, () => {
    stop();
    told.value = null;
    outlines.value = new Map();
    [chosenId.value, filmJob.value, weighJob.value, stemsJob.value] = [null, null, null, null];
    head.value = 0;
  });

  // -- the documents ------------------------------------------------------------

  async function list(): Promise<void> {
    lines.value = (await wanted(api.GET("/api/timelines"))).timelines;
    listed.value = true;
  }

  async function open(wantedId: number): Promise<boolean> {
    try {
      revisions.open(await wanted(api.GET(URL, at(wantedId))));
      return true;
    } catch (error) {
      useNotices().complain(error);
      return false;
    }
  }

  jobs.onElsewhere(({ kind }) => {
    if (kind !== "film" && kind !== "weigh") return;
    if (listed.value) void list().catch((error: unknown) => useNotices().complain(error));
    if (id.value !== null && !revisions.saving.value) void open(id.value).then(ask);
  });

  async function create(name = "Film"): Promise<number | null> {
    try {
      const made = await wanted(api.POST("/api/timelines", { body: { name } }));
      await list();
      return made.id;
    } catch (error) {
      useNotices().complain(error);
      return null;
    }
  }

  async function remove(restored: (id: number) => void): Promise<void> {
    const gone = id.value;
    if (gone === null || !document.value) return;
    await revisions.settled();
    const back = async () => {
      await wanted(api.POST(`${URL}/restore`, at(gone)));
      restored(gone);
    };
    if (await removeWithWayBack(document.value.name, () => wanted(api.DELETE(URL, at(gone))), back)) {
      revisions.close();
      await list();
    }
  }

  async function act(action: Asked<TimelineAction>): Promise<boolean> {
    const of = id.value;
    if (of === null) return false;
    const before = new Set(clips.value.map((one) => one.id));
    const done = await revisions.ask(action.do, (newest) => {
      const body = { action: { ...action, revision: newest } as TimelineAction };
      return wanted(api.POST(`${URL}/act`, { ...at(of), body }));
    });
    const fresh = clips.value.find((one) => !before.has(one.id));
    if (done && fresh) chosenId.value = fresh.id;
    return done;
  }

  const edit = (label: string, patch: Patch) => revisions.change(label, patch);
  /** Where in the document a clip stands. */
  function pathOf(clip: string): string {
    const lanes = document.value?.lanes ?? [];
    const lane = lanes.findIndex((one) => one.clips.some((other) => other.id === clip));
    return `/lanes/${lane}/clips/${lanes[lane]?.clips.findIndex((one) => one.id === clip)}`;
  }

  // -- files ----------------------------------------------------------------------

  async function addFilm(file: File): Promise<void> {
    const of = id.value;
    if (of === null) return;
    try {
      await revisions.settled();
      sent.value = 0;
      const { job } = await upload(`/api/timelines/${of}/film`, file, (share) => (sent.value = share), new AbortController().signal);
      filmJob.value = job;
      if (job) jobs.follow(job, async () => void (of === id.value && (await open(of))));
    } catch (error) {
      useNotices().complain(error);
    } finally {
      sent.value = null;
    }
  }

  function readScenes(file: File): Promise<boolean> {
    const of = id.value;
    return revisions.ask(`Scenes of ${file.name}`, (newest) => {
      const where = `/api/timelines/${of}/scenes?revision=${newest}`;
      return upload<TimelineRevision>(where, file, () => undefined, new AbortController().signal);
    });
  }

  async function handOver(): Promise<void> {
    const of = id.value;
    if (of === null) return;
    try {
      await revisions.settled();
      const { job } = await wanted(api.POST(`${URL}/hand-over`, at(of)));
      stemsJob.value = job;
      jobs.follow(job, () => void ask());
    } catch (error) {
      useNotices().complain(error);
    }
  }

  // -- playing --------------------------------------------------------------------

  const address = computed(() => `timeline ${id.value}`);
  const recording = computed(() => live.alongFrom !== null);
  /** Whether it plays, be it for a take that is recorded to it. */
  const playing = computed(() => recording.value || (id.value !== null && live.listeningTo === address.value));
  /** What all lanes are raised by, as they are when they are handed over; held where that is not known yet. */
  const raised = ref(0);
  watch(told, (now) => now?.measure && (raised.value = Math.max(-60, Math.min(40, now.raised))));

  function play(from = head.value): void {
    if (!document.value) return;
    head.value = from >= document.value.frames - 1 ? 0 : from;
    live.listenToTimeline(address.value, document.value, seconds(head.value), raised.value);
  }

  /** Stop where it is. */
  function stop(): void {
    if (!playing.value) return;
    const now = live.heardAt();
    if (now !== null) head.value = Math.min(Math.max(0, frameAt(now)), (document.value?.frames ?? 1) - 1);
    if (recording.value) live.tell({ do: "record", on: false });
    else live.hush();
  }

  /** Play the instrument in hand to the picture from the playhead on; the take is placed where it was played. */
  function record(): void {
    const [of, from] = [id.value, head.value];
    if (!document.value || of === null || playing.value) return;
    useTaking().playTo({ document: { ...document.value }, at: seconds(from), gain: raised.value }, (take) => {
      if (take === null || of !== id.value) return;
      // what was played to what was heard reached the engine so much later
      void act({ do: "place", frame: from, lane: null, recording: null, take, offset: (live.latencyMs + LIMITER_MS) / 1_000 });
    });
  }

  /** Look at another frame; what plays goes on from there. */
  function goTo(frame: number): void {
    const last = (document.value?.frames ?? 1) - 1;
    head.value = Math.max(0, Math.min(last, Math.round(frame)));
    if (playing.value && !recording.value) play(head.value);
  }
  watch([document, raised], () => playing.value && document.value && live.changeTimeline(address.value, document.value, raised.value));

  return {
    lines,
    listed,
    id,
    document,
    told,
    outlines,
    clips,
    chosenId,
    chosen,
    laneOf,
    head,
    sent,
    film,
    weighing,
    handing,
    undoLabel,
    redoLabel,
    saving: revisions.saving,
    rate,
    raised,
    timecode,
    seconds,
    frameAt,
    list,
    open,
    create,
    remove,
    act,
    edit,
    drag: revisions.drag,
    pathOf,
    addFilm,
    readScenes,
    handOver,
    playing,
    recording,
    record,
    play,
    stop,
    goTo,
    step: revisions.step,
  };
});
