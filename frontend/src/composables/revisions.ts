import { shallowRef } from "vue";

import { passes } from "../api/client";
import { changeOf, type Patch, patched, valueAt } from "./patches";
import { again, outage, untilSaved } from "./unsaved";

/** A document as the server has it. */
export interface Revision<T> {
  id: number;
  revision: number;
  document: T;
  undo: string | null;
  redo: string | null;
}

/** What is asked of the server: given the newest revision's number, the next one comes back. */
export type Ask<R> = (revision: number) => Promise<R>;

interface Pending<R> {
  label: string;
  /** Shown at once; nothing where only the server knows what comes of it. */
  patch: Patch | null;
  ask: Ask<R>;
  settle: (ok: boolean) => void;
}

export interface Wire<T extends object, R extends Revision<T>> {
  /** Send a patch. */
  send: (id: number, change: { revision: number; label: string; patch: Patch }) => Promise<R>;
  /** Get the newest revision. */
  load: (id: number) => Promise<R>;
  /** Undo or redo. */
  step: (id: number, way: "undo" | "redo", revision: number) => Promise<R>;
  /** Say what went wrong. */
  complain: (error: unknown) => void;
  /** A newer revision is here, and what is shown with what is still on its way. */
  arrived?: (newest: R, shown: T) => void;
}

/**
 * One document with revisions: the newest that the server has, and changes on their way to it.
 *
 * What is shown is the one with the others laid over it, so that an answer never brings an older value
 * back. Changes are sent one after another. One that is refused is said, and with those after it taken
 * back; one that cannot be stored at the moment (the server is away, its disk is full) stays, and is sent
 * again until it is stored or given up. Answers to a document that is no longer open go nowhere, but what was done
 * to it is still sent.
 */
export function useRevisions<T extends object, R extends Revision<T>>(wire: Wire<T, R>) {
  /** The newest revision that came back. */
  const base = shallowRef<R | null>(null);
  /** The document as it is seen: base, changes on their way, and what is being dragged. */
  const shown = shallowRef<T | null>(null);
  const saving = shallowRef(false);
  let line: Line<T, R> | null = null;

  /** Take a revision as the document that is open. */
  function open(revision: R): void {
    line = new Line(revision, wire, refresh);
    refresh(line);
    wire.arrived?.(revision, shown.value!);
  }

  function close(): void {
    line = null;
    base.value = shown.value = null;
    saving.value = false;
  }

  function refresh(changed: Line<T, R>): void {
    if (changed !== line) return;
    base.value = changed.base;
    shown.value = changed.shown();
    saving.value = changed.waiting.length > 0;
  }

  /** Change the document at once and store it; gives whether it was stored. */
  function change(label: string, patch: Patch): Promise<boolean> {
    return line && patch.length ? line.change(label, patch) : Promise.resolve(false);
  }

  /** The same, said as a change of a copy. */
  function edit(label: string, make: (copy: T) => void): Promise<boolean> {
    // what is only dragged is no part of what was there before
    return line ? change(label, changeOf(line.stored(), make)) : Promise.resolve(false);
  }

  /** Show a value as it is dragged, without storing it; stored or not, it goes with the next change. */
  function drag(pointer: string, value: unknown): void {
    line?.drag(pointer, value);
  }

  /** Ask the server for a change that only it can make; what of it is known is shown at once. Gives whether it did. */
  function ask(label: string, asked: Ask<R>, known: Patch | null = null): Promise<boolean> {
    return line ? line.ask(label, known, asked) : Promise.resolve(false);
  }

  function step(way: "undo" | "redo"): Promise<boolean> {
    const id = line?.base.id;
    return id === undefined ? Promise.resolve(false) : ask(way, (revision) => wire.step(id, way, revision));
  }

  /** Once all that was asked so far is stored, or taken back. */
  const settled = (): Promise<void> => line?.settled() ?? Promise.resolve();

  return { base, shown, saving, open, close, change, edit, drag, ask, step, settled };
}

/** The changes of one document, in a line. */
class Line<T extends object, R extends Revision<T>> {
  waiting: Pending<R>[] = [];
  private dragged: Patch = [];
  private running: Promise<void> | null = null;
  private overlaid: T | null = null;

  constructor(
    public base: R,
    private readonly wire: Wire<T, R>,
    private readonly changed: (line: Line<T, R>) => void,
  ) {}

  shown(): T {
    if (this.overlaid) return this.overlaid;
    const stored = this.stored();
    this.overlaid = laidOver(
      stored,
      this.dragged.filter(({ path }) => valueAt(stored, path) !== undefined),
    );
    return this.overlaid;
  }

  /** The document with all changes on their way, without what is being dragged. */
  stored(): T {
    return this.waiting.reduce((document, { patch }) => laidOver(document, patch ?? []), this.base.document);
  }

  drag(pointer: string, value: unknown): void {
    const op = { op: "replace", path: pointer, value } as const;
    this.dragged = [...this.dragged.filter(({ path }) => path !== pointer), op];
    this.show(patched(this.shown(), [op]));
  }

  change(label: string, patch: Patch): Promise<boolean> {
    const last = this.waiting.at(-1);
    this.dragged = this.dragged.filter(({ path }) => !patch.some((one) => one.path === path));
    // the first is on its way already
    if (last && this.waiting.length > 1 && isSameAgain(last, label, patch)) {
      last.patch!.splice(0, patch.length, ...patch);
      const before = last.settle;
      this.show(null);
      return new Promise((resolve) => (last.settle = (ok) => (before(ok), resolve(ok))));
    }
    const sent = [...patch];
    const id = this.base.id;
    return this.add({ label, patch: sent, ask: (revision) => this.wire.send(id, { revision, label, patch: sent }) });
  }

  ask(label: string, known: Patch | null, asked: Ask<R>): Promise<boolean> {
    // what is known of the change takes the place of what was dragged there
    this.dragged = this.dragged.filter(({ path }) => !known?.some((one) => one.path === path));
    return this.add({ label, patch: known, ask: asked });
  }

  private add(one: Omit<Pending<R>, "settle">): Promise<boolean> {
    const done = new Promise<boolean>((settle) => this.waiting.push({ ...one, settle }));
    this.show(null);
    this.running ??= untilSaved(this.drain()).finally(() => (this.running = null));
    return done;
  }

  async settled(): Promise<void> {
    while (this.running) await this.running;
  }

  private show(overlaid: T | null): void {
    this.overlaid = overlaid;
    this.changed(this);
  }

  private async drain(): Promise<void> {
    while (this.waiting.length) {
      const first = this.waiting[0]!;
      try {
        this.base = await first.ask(this.base.revision);
        outage.value = null;
        this.waiting.shift();
        this.show(null);
        this.wire.arrived?.(this.base, this.shown());
        first.settle(true);
      } catch (refusal) {
        if (passes(refusal) && (await again(refusal))) continue;
        await this.goBack(refusal);
      }
    }
  }

  /** Drop what was refused and all that came after it, and show what the server has. */
  private async goBack(refusal: unknown): Promise<void> {
    const lost = this.waiting;
    this.waiting = [];
    this.dragged = [];
    this.wire.complain(refusal);
    // where the server cannot be reached, what it had last is shown
    await this.wire.load(this.base.id).then(
      (newest) => (this.base = newest),
      () => undefined,
    );
    // what was done meanwhile was done to what was shown: it goes too
    const late = this.waiting;
    this.waiting = [];
    this.show(null);
    this.wire.arrived?.(this.base, this.shown());
    for (const one of [...lost, ...late]) one.settle(false);
  }
}

/** A patch over a document; what no longer fits it, as the server will say, is not shown. */
function laidOver<T extends object>(document: T, patch: Patch): T {
  try {
    return patch.length ? patched(document, patch) : document;
  } catch {
    return document;
  }
}

/** Whether a change only sets anew what the last one set, which has not been sent. */
function isSameAgain<R>(last: Pending<R>, label: string, patch: Patch): boolean {
  const before = last.patch;
  if (!before || last.label !== label || before.length !== patch.length) return false;
  return patch.every(({ op, path }, i) => op === "replace" && before[i]!.op === "replace" && before[i]!.path === path);
}
