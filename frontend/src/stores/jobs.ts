import { createEventHook, useDocumentVisibility } from "@vueuse/core";
import { defineStore } from "pinia";
import { computed, ref, shallowRef, watch } from "vue";

import { api, ApiError, wanted } from "../api/client";
import type { Job } from "../api/types";
import { useNotices } from "./notices";

const WAIT_S = 10;
const AGAIN_MS = 2_000;
const KEPT = 200;

/** Whether a job is waiting or under way. */
export const isActive = (job: Job | null | undefined): boolean => job?.state === "queued" || job?.state === "running";
const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

/** Long work on the server: progress, cancel, and what to do when it ends. Each is followed by its id. */
export const useJobs = defineStore("jobs", () => {
  const known = shallowRef(new Map<string, Job>());
  const jobs = computed(() => [...known.value.values()]);
  const active = computed(() => jobs.value.filter(isActive));
  const endings = new Map<string, ((job: Job) => void)[]>();
  const began = new Map<string, number>();
  /** Whether the server answered when it was last asked. */
  const reachable = ref(true);
  const elsewhere = createEventHook<Job>();
  const visibility = useDocumentVisibility();
  let moment = "";
  let asking = false;
  let always = false;

  /** Ask for what changed, for as long as something is followed or under way. */
  async function refresh(): Promise<void> {
    if (asking) return;
    asking = true;
    await loop().finally(() => (asking = false));
  }

  /** From now on learn of what others begin, too, for as long as this page is seen: browsers ask few things at once. */
  function keepUp(): void {
    always = true;
    void refresh();
  }
  watch(visibility, () => always && void refresh());

  async function loop(): Promise<void> {
    // once at least: there may be work that another page began
    do {
      try {
        const answer = await wanted(api.GET("/api/jobs", { params: { query: { since: moment, wait: moment ? WAIT_S : 0 } } }));
        reachable.value = true;
        const started = moment === "" || moment.split(".")[0] !== answer.moment.split(".")[0];
        moment = answer.moment;
        // what was known of an earlier run of the server may have ended with it
        if (started) known.value = new Map();
        take(answer.jobs, !started);
        if (started) await findLost();
      } catch (error) {
        if (reachable.value && endings.size) useNotices().complain(error);
        reachable.value = false;
        await pause(AGAIN_MS);
      }
    } while (endings.size || active.value.length || (always && visibility.value === "visible"));
  }

  function take(changed: Job[], news = true): void {
    if (!changed.length) return;
    const before = known.value;
    const next = new Map(known.value);
    for (const job of changed) next.set(job.id, job);
    // what has ended long ago is not looked at any more
    for (const [id, job] of next) if (next.size > KEPT && !isActive(job)) next.delete(id);
    known.value = next;
    for (const job of changed) {
      const ours = endings.has(job.id);
      const ended = !isActive(job) && isActive(before.get(job.id) ?? { ...job, state: "queued" });
      settle(job);
      if (news && ended && !ours && job.state === "done") void elsewhere.trigger(job);
    }
  }

  /** Ask one by one for what is followed and was not in the list. */
  async function findLost(): Promise<void> {
    for (const id of endings.keys()) {
      if (known.value.has(id)) continue;
      try {
        take([await wanted(api.GET("/api/jobs/{job_id}", { params: { path: { job_id: id } } }))]);
      } catch (error) {
        if (!(error instanceof ApiError) || error.status !== 404) throw error;
        endings.delete(id);
        useNotices().complain(error);
      }
    }
  }

  function settle(job: Job): void {
    if (job.state === "running" && !began.has(job.id)) began.set(job.id, Date.now());
    if (isActive(job)) return;
    began.delete(job.id);
    const waiting = endings.get(job.id) ?? [];
    endings.delete(job.id);
    for (const done of waiting) done(job);
  }

  /** Wait for a job to end, in whatever way. */
  function ended(id: string): Promise<Job> {
    const job = known.value.get(id);
    if (job && !isActive(job)) return Promise.resolve(job);
    return new Promise((resolve) => {
      endings.set(id, [...(endings.get(id) ?? []), resolve]);
      void refresh();
    });
  }

  /** Follow a job and call back once it has ended well; else it is said how it ended. */
  function follow(id: string, done: (job: Job) => void): void {
    void ended(id).then((job) => {
      if (job.state === "done") done(job);
      else if (job.state === "failed") useNotices().complain(`${job.title}: ${job.error}`);
      else useNotices().say(`${job.title}: stopped.`);
    });
  }

  async function cancel(id: string): Promise<void> {
    try {
      await wanted(api.DELETE("/api/jobs/{job_id}", { params: { path: { job_id: id } } }));
    } catch (error) {
      useNotices().complain(error);
    }
    void refresh();
  }

  /** Seconds left, by the pace so far; null while that cannot be known. */
  function secondsLeft(job: Job): number | null {
    const start = began.get(job.id);
    if (!start || job.progress < 0.05) return null;
    const gone = (Date.now() - start) / 1_000;
    return (gone * (1 - job.progress)) / job.progress;
  }

  /** Called with each job that has ended well and that nobody here waits for: another page has begun it, or the server. */
  const onElsewhere = elsewhere.on;

  return { jobs, active, follow, ended, refresh, keepUp, onElsewhere, cancel, secondsLeft };
});
