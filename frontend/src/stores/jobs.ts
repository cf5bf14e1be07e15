import { defineStore } from "pinia";
import { computed, ref } from "vue";

import { api, type Job, wanted } from "../api/client";
import { useNotices } from "./notices";

const POLL_MS = 400;

/** Long work on the server: progress, cancel, and what to do when it ends. */
export const useJobs = defineStore("jobs", () => {
  const jobs = ref<Job[]>([]);
  const active = computed(() => jobs.value.filter((job) => isActive(job)));
  const endings = new Map<string, (job: Job) => void>();
  const began = new Map<string, number>();
  let timer: ReturnType<typeof setTimeout> | undefined;

  const isActive = (job: Job) => job.state === "queued" || job.state === "running";

  /** Follow a job and call back once it has ended well. */
  function follow(id: string, done: (job: Job) => void): void {
    endings.set(id, done);
    void refresh();
  }

  async function refresh(): Promise<void> {
    clearTimeout(timer);
    try {
      jobs.value = (await wanted(api.GET("/api/jobs"))).jobs;
    } catch (error) {
      if (endings.size) useNotices().complain(error);
    }
    for (const job of jobs.value) settle(job);
    if (active.value.length || endings.size) timer = setTimeout(refresh, POLL_MS);
  }

  function settle(job: Job): void {
    if (job.state === "running" && !began.has(job.id)) began.set(job.id, Date.now());
    const done = endings.get(job.id);
    if (isActive(job) || !done) return;
    endings.delete(job.id);
    if (job.state === "done") done(job);
    else if (job.state === "failed") useNotices().complain(`${job.title}: ${job.error}`);
    else useNotices().say(`${job.title}: stopped.`);
  }

  /** Wait for a job to end, in whatever way; asked often, for work that takes a moment only. */
  async function ended(id: string): Promise<Job> {
    for (let wait = 60; ; wait = Math.min(400, wait * 1.3)) {
      const job = await wanted(api.GET("/api/jobs/{job_id}", { params: { path: { job_id: id } } }));
      if (!isActive(job)) return job;
      if (wait > 200) void refresh();
      await new Promise((resolve) => setTimeout(resolve, wait));
    }
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

  return { jobs, active, follow, ended, refresh, cancel, secondsLeft };
});
