import { createPinia, setActivePinia } from "pinia";
import { afterEach, beforeEach, expect, it, vi } from "vitest";

import type { Job } from "../api/types";
import { useJobs } from "./jobs";
import { useNotices } from "./notices";

const job = (id: string, state: Job["state"] = "queued"): Job => ({
  id,
  kind: "import",
  words: "Importing",
  title: id,
  state,
  progress: 0,
  error: state === "failed" ? "It is broken." : "",
  result: {
    recording: Number(id),
    instrument: null,
    ensemble: null,
    recordings: [],
    renderings: [],
    known: [],
    name: id,
    problems: [],
    cost: "",
    sheet: "",
    file: "",
    seconds: 0,
    bytes: 0,
  },
  created: "2026-11-27T00:00:00Z",
});

/** A server that answers as the real one does: changes since a moment, waiting for one. */
class Server {
  jobs = new Map<string, Job>();
  changes: string[] = [];
  start = "a";
  asked = 0;
  private wake: () => void = () => undefined;

  change(id: string, state?: Job["state"]): void {
    this.jobs.set(id, job(id, state));
    this.changes.push(id);
    this.wake();
  }

  restart(): void {
    this.start = "b";
    this.changes = [];
    this.wake();
  }

  fetch = async (request: Request): Promise<Response> => {
    this.asked += 1;
    const url = new URL(request.url, "http://127.0.0.1");
    const one = /\/api\/jobs\/(\w+)$/.exec(url.pathname)?.[1];
    if (one)
      return this.jobs.has(one) ? Response.json(this.jobs.get(one)) : Response.json({ message: "There is no such job." }, { status: 404 });
    const [start, count] = url.searchParams.get("since")!.split(".");
    if (start === this.start && Number(count) === this.changes.length)
      await Promise.race([new Promise<void>((wake) => (this.wake = wake)), new Promise((done) => setTimeout(done, 10_000))]);
    const ids = start === this.start ? this.changes.slice(Number(count)) : [...this.jobs.keys()].slice(-40);
    return Response.json({ jobs: [...new Set(ids)].map((id) => this.jobs.get(id)!), moment: `${this.start}.${this.changes.length}` });
  };
}

let server: Server;

beforeEach(() => {
  vi.useFakeTimers();
  setActivePinia(createPinia());
  server = new Server();
  vi.stubGlobal("fetch", server.fetch);
});
afterEach(() => {
  vi.useRealTimers();
  vi.unstubAllGlobals();
});

it("follows five hundred jobs to their ends", async () => {
  const done: number[] = [];
  for (let i = 0; i < 500; i++) {
    server.change(String(i));
    useJobs().follow(String(i), ({ result }) => done.push(result.recording!));
  }
  await vi.advanceTimersByTimeAsync(100);
  for (let i = 0; i < 500; i++) {
    server.change(String(i), "done");
    if (i % 50 === 0) await vi.advanceTimersByTimeAsync(50);
  }
  await vi.advanceTimersByTimeAsync(10_000);
  expect(done.toSorted((a, b) => a - b)).toEqual(Array.from({ length: 500 }, (_, i) => i));
  const before = server.asked;
  await vi.advanceTimersByTimeAsync(60_000);
  expect(server.asked).toBe(before);
});

it("says how a job ended that did not end well", async () => {
  const done = vi.fn();
  server.change("1");
  useJobs().follow("1", done);
  await vi.advanceTimersByTimeAsync(100);
  server.change("1", "failed");
  await vi.advanceTimersByTimeAsync(100);
  expect(done).not.toHaveBeenCalled();
  expect(useNotices().notices.map(({ text }) => text)).toEqual(["1: It is broken."]);
});

it("finds a job that ended while the server was started anew", async () => {
  const done = vi.fn();
  server.change("1");
  useJobs().follow("1", done);
  await vi.advanceTimersByTimeAsync(100);
  for (let i = 2; i < 60; i++) server.jobs.set(String(i), job(String(i), "done"));
  server.jobs.set("1", job("1", "done"));
  server.restart();
  await vi.advanceTimersByTimeAsync(30_000);
  expect(done).toHaveBeenCalledOnce();
});

it("gives up a job that the server does not know", async () => {
  useJobs().follow("9", vi.fn());
  await vi.advanceTimersByTimeAsync(5_000);
  expect(useNotices().notices.map(({ text }) => text)).toEqual(["There is no such job."]);
});

it("tells once of what others began and ended, and of nothing that is waited for here or was over before", async () => {
  const told: string[] = [];
  server.change("1", "done");
  useJobs().onElsewhere(({ id }) => told.push(id));
  useJobs().keepUp();
  await vi.advanceTimersByTimeAsync(100);
  server.change("2");
  useJobs().follow("3", () => undefined);
  server.change("3");
  server.change("4", "failed");
  await vi.advanceTimersByTimeAsync(100);
  server.change("2", "done");
  server.change("3", "done");
  // short work is over before it is heard of
  server.change("5", "done");
  await vi.advanceTimersByTimeAsync(100);
  server.change("2", "done");
  await vi.advanceTimersByTimeAsync(100);
  expect(told).toEqual(["2", "5"]);
});

it("keeps up while the page is seen, and asks for nothing while it is not", async () => {
  const seen = vi.spyOn(document, "visibilityState", "get");
  useJobs().keepUp();
  await vi.advanceTimersByTimeAsync(60_000);
  const asked = server.asked;
  expect(asked).toBeGreaterThan(4);
  seen.mockReturnValue("hidden");
  document.dispatchEvent(new Event("visibilitychange"));
  // what was asked is still answered
  await vi.advanceTimersByTimeAsync(60_000);
  expect(server.asked - asked).toBeLessThan(2);
  server.change("7", "done");
  const told: string[] = [];
  useJobs().onElsewhere(({ id }) => told.push(id));
  seen.mockReturnValue("visible");
  document.dispatchEvent(new Event("visibilitychange"));
  await vi.advanceTimersByTimeAsync(100);
  expect(told).toEqual(["7"]);
  seen.mockRestore();
});
