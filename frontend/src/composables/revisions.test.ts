import { beforeEach, describe, expect, it, vi } from "vitest";
import { effectScope, watch } from "vue";

import { ApiError } from "../api/client";
import { patched, type Patch } from "./patches";
import { type Revision, useRevisions } from "./revisions";
import { outage, useUnsavedGuard } from "./unsaved";

interface Doc {
  size: number;
  level: number;
  names: string[];
}
type Rev = Revision<Doc>;

const WIRE_MS = 300;
const later = (ms = WIRE_MS) => new Promise((resolve) => setTimeout(resolve, ms));

/** A server with revisions, far away. */
class Server {
  document: Doc = { size: 0, level: 0, names: [] };
  revision = 0;
  online = true;
  sent = 0;

  answer(id = 1): Rev {
    return { id, revision: this.revision, document: structuredClone(this.document), undo: null, redo: null };
  }

  async change(revision: number, make: (document: Doc) => Doc, id = 1): Promise<Rev> {
    await later();
    if (!this.online) throw new ApiError("offline", 0);
    if (revision !== this.revision) throw new Error("409");
    this.document = make(this.document);
    this.revision += 1;
    this.sent += 1;
    const found = this.answer(id);
    await later();
    return found;
  }
}

function opened(server: Server) {
  const complain = vi.fn();
  const arrived = vi.fn();
  const revisions = useRevisions<Doc, Rev>({
    send: (id, { revision, patch }) => server.change(revision, (document) => patched(document, patch), id),
    load: async (id) => {
      await later();
      if (!server.online) throw new Error("offline");
      return server.answer(id);
    },
    step: (id, _, revision) => server.change(revision, (document) => ({ ...document, size: 0 }), id),
    complain,
    arrived,
  });
  revisions.open(server.answer());
  return { ...revisions, complain, arrived };
}

const sets = (path: string, value: unknown): Patch => [{ op: "replace", path, value }];

describe("a document with revisions", () => {
  beforeEach(() => {
    vi.useFakeTimers();
    return () => vi.useRealTimers();
  });

  it.each([3, 30, 60, 150, 900])("takes 20 steps %i ms apart and never shows an older value", async (apart) => {
    const server = new Server();
    const doc = opened(server);
    const seen: number[] = [];
    const heard: number[] = [];
    watch(doc.shown, (now) => seen.push(now!.size), { flush: "sync" });
    doc.arrived.mockImplementation((_, shown: Doc) => heard.push(shown.size));
    for (let i = 0; i < 20; i++) {
      void doc.change("size", sets("/size", doc.shown.value!.size + 1));
      await vi.advanceTimersByTimeAsync(apart);
    }
    await vi.advanceTimersByTimeAsync(20 * 3 * WIRE_MS);
    expect(doc.shown.value!.size).toBe(20);
    expect(server.document.size).toBe(20);
    expect(seen).toEqual([...seen].sort((a, b) => a - b));
    expect(heard).toEqual([...heard].sort((a, b) => a - b));
    expect(doc.saving.value).toBe(false);
  });

  it("sends steps that wait as one", async () => {
    const server = new Server();
    const doc = opened(server);
    const stored = Array.from({ length: 20 }, (_, i) => doc.change("size", sets("/size", i + 1)));
    await vi.advanceTimersByTimeAsync(5_000);
    expect(await Promise.all(stored)).toEqual(Array(20).fill(true));
    expect(server.sent).toBe(2);
  });

  it("keeps different changes apart and in order", async () => {
    const server = new Server();
    const doc = opened(server);
    void doc.change("size", sets("/size", 1));
    void doc.change("level", sets("/level", 2));
    void doc.ask("name", (revision) => server.change(revision, (d) => ({ ...d, names: [`size ${d.size}`] })));
    void doc.change("size", sets("/size", 3));
    expect(doc.shown.value).toMatchObject({ size: 3, level: 2 });
    await vi.advanceTimersByTimeAsync(5_000);
    expect(server.document).toEqual({ size: 3, level: 2, names: ["size 1"] });
    expect(doc.shown.value).toEqual(server.document);
    expect(server.sent).toBe(4);
  });

  it("shows what is dragged over an answer that comes meanwhile", async () => {
    const server = new Server();
    const doc = opened(server);
    void doc.change("level", sets("/level", 5));
    doc.drag("/size", 7);
    await vi.advanceTimersByTimeAsync(1_000);
    expect(doc.base.value!.document).toMatchObject({ size: 0, level: 5 });
    expect(doc.shown.value).toMatchObject({ size: 7, level: 5 });
    void doc.change("size", sets("/size", 8));
    await vi.advanceTimersByTimeAsync(1_000);
    expect(server.document).toMatchObject({ size: 8, level: 5 });
  });

  it("stores what was dragged where the change is said as one of a copy", async () => {
    const server = new Server();
    const doc = opened(server);
    doc.drag("/size", 7);
    void doc.edit("size", (copy) => (copy.size = 7));
    await vi.advanceTimersByTimeAsync(1_000);
    expect(server.document.size).toBe(7);
  });

  it("goes back to what the server has where a change is refused, and says so once", async () => {
    const server = new Server();
    const doc = opened(server);
    const first = doc.change("size", sets("/size", 1));
    server.revision = 4;
    server.document = { size: 50, level: 9, names: [] };
    const second = doc.change("level", sets("/level", 2));
    await vi.advanceTimersByTimeAsync(5_000);
    expect(await Promise.all([first, second])).toEqual([false, false]);
    expect(doc.shown.value).toMatchObject({ size: 50, level: 9 });
    expect(doc.complain).toHaveBeenCalledOnce();
    void doc.change("size", sets("/size", 51));
    await vi.advanceTimersByTimeAsync(5_000);
    expect(server.document.size).toBe(51);
  });

  it("keeps what cannot be stored, and stores it once that is possible", async () => {
    const server = new Server();
    const doc = opened(server);
    server.online = false;
    const first = doc.change("size", sets("/size", 1));
    const second = doc.change("level", sets("/level", 3));
    await vi.advanceTimersByTimeAsync(20_000);
    expect(doc.shown.value).toMatchObject({ size: 1, level: 3 });
    expect(outage.value!.sentence).toBe("offline");
    expect(doc.complain).not.toHaveBeenCalled();
    server.online = true;
    await vi.advanceTimersByTimeAsync(5_000);
    expect(await Promise.all([first, second])).toEqual([true, true]);
    expect(server.document).toMatchObject({ size: 1, level: 3 });
    expect(outage.value).toBeNull();
  });

  it("takes back what could not be stored where it is given up", async () => {
    const server = new Server();
    const doc = opened(server);
    server.online = false;
    const done = doc.change("size", sets("/size", 1));
    await vi.advanceTimersByTimeAsync(5_000);
    outage.value!.giveUp();
    await vi.advanceTimersByTimeAsync(5_000);
    expect(await done).toBe(false);
    expect(doc.shown.value!.size).toBe(0);
    expect(doc.complain).toHaveBeenCalledOnce();
    server.online = true;
    void doc.change("size", sets("/size", 2));
    await vi.advanceTimersByTimeAsync(5_000);
    expect(server.document.size).toBe(2);
  });

  it("drops late answers to a document that is no longer open, and still sends what was done to it", async () => {
    const server = new Server();
    const doc = opened(server);
    void doc.change("size", sets("/size", 1));
    void doc.change("level", sets("/level", 1));
    doc.open({ id: 2, revision: 9, document: { size: 100, level: 0, names: [] }, undo: null, redo: null });
    await vi.advanceTimersByTimeAsync(5_000);
    expect(server.document).toMatchObject({ size: 1, level: 1 });
    expect(doc.base.value!.id).toBe(2);
    expect(doc.shown.value!.size).toBe(100);
  });

  it("undoes after what is still on its way", async () => {
    const server = new Server();
    const doc = opened(server);
    void doc.change("size", sets("/size", 1));
    void doc.step("undo");
    await vi.advanceTimersByTimeAsync(5_000);
    expect(server.sent).toBe(2);
    expect(doc.shown.value!.size).toBe(0);
  });
});

describe("leaving the page", () => {
  beforeEach(() => {
    vi.useFakeTimers();
    return () => vi.useRealTimers();
  });

  it("is asked about as long as something is on its way", async () => {
    const guard = effectScope();
    guard.run(useUnsavedGuard);
    const leaves = () => window.dispatchEvent(new Event("beforeunload", { cancelable: true }));
    const revisions = opened(new Server());
    expect(leaves()).toBe(true);
    const done = revisions.edit("Size", (document) => (document.size = 3));
    expect(leaves()).toBe(false);
    await vi.runAllTimersAsync();
    await done;
    expect(leaves()).toBe(true);
    guard.stop();
  });
});
