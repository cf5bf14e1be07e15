import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";

import { api, wanted } from "../api/client";
import { revisedAt } from "../api/revised";
import type { HandEdit, Hands, KeptMoment, Moment, Rendering, TakeDocument, TakeLine, TakeRevision, Value, WayAgain } from "../api/types";
import { useRevisions } from "../composables/revisions";
import { useField } from "./field";
import { useJobs } from "./jobs";
import { useNotices } from "./notices";

const at = (id: number) => ({ params: { path: { take_id: id } } });

/** A stretch of the take in seconds. */
export interface Stretch {
  start: number;
  end: number;
}

/** Takes: the list, the one in hand with its hands and moments, and what is made of it. */
export const useTakes = defineStore("takes", () => {
  const notices = useNotices();
  const jobs = useJobs();
  const lines = shallowRef<TakeLine[]>([]);
  const listed = ref(false);
  const hands = shallowRef<Hands | null>(null);
  const moments = shallowRef<Moment[]>([]);
  const ready = ref(false);
  const kept = shallowRef<KeptMoment[]>([]);
  const renderings = shallowRef<Rendering[]>([]);
  const chosenKey = ref<string | null>(null);
  const stretch = ref<Stretch | null>(null);
  const keeping = ref(false);
  const again = ref<string | null>(null);

  const revisions = useRevisions(revisedAt<TakeDocument, TakeRevision>((id) => `/api/takes/${id}`, arrived));
  const document = revisions.shown;
  const id = computed(() => revisions.base.value?.id ?? null);
  const sentences = computed(() => revisions.base.value?.sentences ?? []);
  const undoLabel = computed(() => revisions.base.value?.undo ?? null);
  const redoLabel = computed(() => revisions.base.value?.redo ?? null);
  const chosen = computed(() => moments.value.find(({ key }) => key === chosenKey.value) ?? null);
  /** What is heard of it: what was recorded, or one that it was played again to. */
  const sound = computed(() => document.value?.sound ?? "");
  const address = computed(() => {
    const folder = document.value?.about.folder ?? "";
    return sound.value ? `${folder}/${sound.value}` : folder;
  });
  const changed = computed(() => {
    const heard = renderings.value.find((one) => one.id === sound.value);
    return (document.value?.edits.length ?? 0) !== (heard?.edits ?? 0);
  });
  let handsOf = "";
  let asked = 0;

  function arrived(newest: TakeRevision): void {
    const known = JSON.stringify([newest.id, newest.document.edits]);
    if (known !== handsOf) void lookAtHands(newest.id, known);
    void look();
    const before = lines.value.find((one) => one.id === newest.id);
    if (before && before.name !== newest.document.name) void list();
  }

  async function lookAtHands(of: number, known: string): Promise<void> {
    handsOf = known;
    try {
      const found = await wanted(api.GET("/api/takes/{take_id}/hands", at(of)));
      if (id.value === of) hands.value = found;
    } catch (error) {
      notices.complain(error);
    }
  }

  /** Ask for moments, what is kept and what it was played again to, as they stand now. */
  async function look(): Promise<void> {
    const of = id.value;
    if (of === null) return;
    const number = ++asked;
    try {
      const [found, shelf, made] = await Promise.all([
        wanted(api.GET("/api/takes/{take_id}/moments", at(of))),
        wanted(api.GET("/api/takes/{take_id}/kept", at(of))),
        wanted(api.GET("/api/takes/{take_id}/renderings", at(of))),
      ]);
      if (number !== asked || id.value !== of) return;
      [moments.value, ready.value, kept.value, renderings.value] = [found.moments, found.ready, shelf.kept, made.renderings];
    } catch (error) {
      if (number === asked) notices.complain(error);
    }
  }

  async function list(): Promise<void> {
    try {
      lines.value = (await wanted(api.GET("/api/takes"))).takes;
      listed.value = true;
    } catch (error) {
      notices.complain(error);
    }
  }

  async function open(wantedId: number): Promise<boolean> {
    try {
      const found = await wanted(api.GET("/api/takes/{take_id}", at(wantedId)));
      [hands.value, moments.value, kept.value, renderings.value] = [null, [], [], []];
      [ready.value, chosenKey.value, stretch.value, handsOf] = [false, null, null, ""];
      revisions.open(found);
      localStorage.setItem("bloom-take", String(found.id));
      // it may be listened to at this moment, by work that another page began
      void jobs.refresh();
      return true;
    } catch (error) {
      notices.complain(error);
      return false;
    }
  }

  jobs.onElsewhere(({ kind }) => {
    if (kind !== "take" && kind !== "moments") return;
    if (listed.value) void list();
    // moments that were kept are decisions of the take as well
    if (kind === "moments" && id.value !== null && !revisions.saving.value) void open(id.value);
    else void look();
  });

  /** Listen to a take that has not been listened to, or that lost its sound. */
  async function listen(): Promise<void> {
    if (id.value === null) return;
    const of = id.value;
    try {
      const { job } = await wanted(api.POST("/api/takes/{take_id}/listen", at(of)));
      jobs.follow(job, () => id.value === of && void look());
    } catch (error) {
      notices.complain(error);
    }
  }

  // -- decisions -------------------------------------------------------------

  /** Decide something of a moment; where it stands stays with the decision. */
  function decide(moment: Moment, change: Partial<TakeDocument["decisions"][string]>, label: string): void {
    const { start, end, reason, kept: was, fade_in, fade_out } = moment;
    const before = document.value?.decisions[moment.key];
    moments.value = moments.value.map((one) => (one.key === moment.key ? { ...one, ...change } : one));
    void revisions.edit(label, (copy) => {
      copy.decisions[moment.key] = { start, end, reason, kept: was, name: before?.name ?? "", fade_in, fade_out, ...change };
    });
  }

  const keep = (moment: Moment, is: boolean | null) =>
    decide(moment, { kept: is }, is === null ? "Decide later" : is ? "Keep a moment" : "Drop a moment");

  /** A stretch becomes a moment of its own. */
  function add({ start, end }: Stretch): void {
    const key = `${Math.round(1e3 * start)}.hand`;
    void revisions.edit("Choose a moment", (copy) => {
      copy.decisions[key] = { start, end, reason: "by hand", kept: null, name: "", fade_in: 5, fade_out: 5 };
    });
    chosenKey.value = key;
    stretch.value = null;
  }

  /** A moment that was chosen by hand is forgotten. */
  function forget(moment: Moment): void {
    void revisions.edit("Forget a moment", (copy) => void delete copy.decisions[moment.key]);
  }

  const move = (setting: string, value: number) => revisions.drag(`/${setting}`, value);
  const set = (setting: string, value: Value, name: string) =>
    revisions.change(`Moments: ${name}`, [{ op: "replace", path: `/${setting}`, value }]);
  const rename = (name: string) => revisions.change("Rename", [{ op: "replace", path: "/name", value: name }]);

  /** Put moments on the shelf: some, or all that are kept and not there yet. */
  async function toShelf(keys: string[] = []): Promise<number[]> {
    const of = id.value;
    if (of === null) return [];
    keeping.value = true;
    try {
      await revisions.settled();
      const { job } = await wanted(api.POST("/api/takes/{take_id}/keep", { ...at(of), body: { keys } }));
      return await shelved(job);
    } catch (error) {
      notices.complain(error);
      return [];
    } finally {
      keeping.value = false;
    }
  }

  async function shelved(job: string): Promise<number[]> {
    const done = await jobs.ended(job);
    if (done.state === "failed") notices.complain(done.error);
    if (done.state !== "done") return [];
    const made = [...done.result.recordings, ...done.result.known];
    done.result.problems.forEach((one) => notices.complain(one));
    await Promise.all([useField().load(), look()]);
    if (done.result.known.length) notices.say(`${done.result.known.length === 1 ? "It was" : "Some were"} on the shelf already.`);
    return made;
  }

  // -- hands -----------------------------------------------------------------

  /** Change the hands; what is heard follows once they are played again. */
  function changeHands(edit: HandEdit, label: string): Promise<boolean> {
    return revisions.edit(label, (copy) => void copy.edits.push(edit));
  }

  /** Play it again, or a stretch of it, in some ways; `adopt` makes it what is heard. */
  async function playAgain(ways: WayAgain[], part: Stretch | null, adopt = false): Promise<void> {
    const of = id.value;
    if (of === null) return;
    try {
      await revisions.settled();
      const body = { ways, start: part?.start ?? 0, end: part?.end ?? null, adopt };
      const { job } = await wanted(api.POST("/api/takes/{take_id}/again", { ...at(of), body }));
      again.value = job;
      jobs.follow(job, () => {
        if (id.value !== of) return;
        if (adopt) void open(of);
        else void look();
      });
      await jobs.ended(job);
    } catch (error) {
      notices.complain(error);
    } finally {
      again.value = null;
    }
  }

  const hearChanges = () => playAgain([{ seed: null, slower: 1, layers: [], instrument: null }], null, true);

  /** What is heard of it from now on; empty for what was recorded. */
  const useSound = (rendering: string) => revisions.change("Choose a sound", [{ op: "replace", path: "/sound", value: rendering }]);

  async function keepRendering(rendering: Rendering, name: string): Promise<void> {
    try {
      const path = { take_id: id.value!, rendering: rendering.id };
      const asking = api.POST("/api/takes/{take_id}/renderings/{rendering}/keep", { params: { path }, body: { name } });
      const [made] = await shelved((await wanted(asking)).job);
      if (made !== undefined) notices.say(`'${name}' is on the shelf.`);
    } catch (error) {
      notices.complain(error);
    }
  }

  async function removeRendering(rendering: Rendering): Promise<void> {
    try {
      const path = { take_id: id.value!, rendering: rendering.id };
      await wanted(api.DELETE("/api/takes/{take_id}/renderings/{rendering}", { params: { path } }));
      await look();
    } catch (error) {
      notices.complain(error);
    }
  }

  async function remove(restored: (id: number) => void): Promise<void> {
    const gone = id.value;
    if (gone === null) return;
    try {
      await revisions.settled();
      const name = document.value!.name;
      await wanted(api.DELETE("/api/takes/{take_id}", at(gone)));
      notices.say(`'${name}' is deleted.`, async () => {
        await wanted(api.POST("/api/takes/{take_id}/restore", at(gone)));
        await list();
        restored(gone);
      });
      revisions.close();
      localStorage.removeItem("bloom-take");
      await list();
    } catch (error) {
      notices.complain(error);
    }
  }

  return {
    lines,
    listed,
    id,
    document,
    sentences,
    hands,
    moments,
    ready,
    kept,
    renderings,
    chosen,
    chosenKey,
    stretch,
    keeping,
    again,
    sound,
    address,
    changed,
    undoLabel,
    redoLabel,
    list,
    open,
    look,
    listen,
    decide,
    keep,
    add,
    forget,
    move,
    set,
    rename,
    toShelf,
    changeHands,
    playAgain,
    hearChanges,
    useSound,
    keepRendering,
    removeRendering,
    remove,
    step: revisions.step,
  };
});
