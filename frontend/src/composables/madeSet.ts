import { watchDebounced } from "@vueuse/core";
import { computed, ref, shallowRef, watch } from "vue";

import { asked, revisedAt } from "../api/revised";
import type { Job, Settings, Value } from "../api/types";
import { useJobs } from "../stores/jobs";
import { useNotices } from "../stores/notices";
import { removeWithWayBack } from "../stores/removal";
import { type Revision, useRevisions } from "./revisions";

const ASKED_MS = 120;

export interface SetLine {
  id: number;
  name: string;
  changed: string;
}

/**
 * A document of what is asked, and what a job made of it: variations, samples.
 *
 * @param address where such documents are served: "/api/variations".
 * @param report what is served beside each of what was made: "drawn".
 * @param making the kind of job that makes it: "draw".
 */
export function useMadeSet<D extends { name: string }, R extends Revision<D>, T>(address: string, report: string, making: string) {
  const jobs = useJobs();
  const lines = ref<SetLine[]>([]);
  const listed = ref(false);
  const told = shallowRef<T | null>(null);
  const started = ref<Record<string, string>>({});

  const at = (of: number) => `${address}/${of}`;
  const revisions = useRevisions(revisedAt<D, R>(at, undefined));
  const document = revisions.shown;
  const id = computed(() => revisions.base.value?.id ?? null);
  const revision = computed(() => revisions.base.value?.revision ?? 0);
  const undoLabel = computed(() => revisions.base.value?.undo ?? null);
  const redoLabel = computed(() => revisions.base.value?.redo ?? null);

  async function ask(): Promise<void> {
    const of = id.value;
    if (of === null) return void (told.value = null);
    try {
      const found = await asked<T>("GET", `${at(of)}/${report}`);
      if (of === id.value) told.value = found;
    } catch (error) {
      useNotices().complain(error);
    }
  }
  watchDebounced([id, revision], ask, { debounce: ASKED_MS });
  watch(id, () => ([told.value, started.value] = [null, {}]));

  async function list(): Promise<void> {
    lines.value = (await asked<{ sets: SetLine[] }>("GET", address)).sets;
    listed.value = true;
  }

  async function open(wanted: number): Promise<boolean> {
    try {
      revisions.open(await asked<R>("GET", at(wanted)));
      return true;
    } catch (error) {
      useNotices().complain(error);
      return false;
    }
  }

  jobs.onElsewhere(({ kind }) => {
    if (kind !== making) return;
    if (listed.value) void list().catch((error: unknown) => useNotices().complain(error));
    if (id.value !== null && !revisions.saving.value) void open(id.value);
  });

  /** A new document; gives its number. */
  async function create(body: object): Promise<number | null> {
    try {
      const made = await asked<R>("POST", address, body);
      await list();
      return made.id;
    } catch (error) {
      useNotices().complain(error);
      return null;
    }
  }

  const edit = revisions.change;
  const drag = (parameter: string, value: Value) => revisions.drag(`/settings/${parameter}`, value);
  const set = (values: Settings, label: string) =>
    edit(
      label,
      Object.entries(values).map(([key, value]) => ({ op: "replace" as const, path: `/settings/${key}`, value })),
    );

  /** Start a job on the document as it stands; where it changes that, it is opened anew. */
  async function start(what: string, changes: boolean): Promise<void> {
    const of = id.value;
    if (of === null) return;
    try {
      await revisions.settled();
      const { job } = await asked<{ job: string }>("POST", `${at(of)}/${what}`);
      started.value = { ...started.value, [what]: job };
      jobs.follow(job, async (ended) => {
        ended.result.problems.forEach((one) => useNotices().complain(one));
        if (changes && of === id.value) await open(of);
      });
    } catch (error) {
      useNotices().complain(error);
    }
  }
  /** The job of a kind that was started last. */
  const jobOf = (what: string): Job | null => jobs.jobs.find((one) => one.id === started.value[what]) ?? null;

  async function remove(restored: (id: number) => void): Promise<void> {
    const gone = id.value;
    if (gone === null || !document.value) return;
    await revisions.settled();
    const back = async () => {
      await asked("POST", `${at(gone)}/restore`);
      restored(gone);
    };
    if (!(await removeWithWayBack(document.value.name, () => asked("DELETE", at(gone)), back))) return;
    revisions.close();
    await list();
  }

  return {
    lines,
    listed,
    id,
    document,
    told,
    undoLabel,
    redoLabel,
    saving: revisions.saving,
    list,
    open,
    create,
    edit,
    drag,
    set,
    start,
    jobOf,
    remove,
    step: revisions.step,
  };
}
