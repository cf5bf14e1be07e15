import { applyPatch, compare, deepClone, type Operation as LibraryOperation } from "fast-json-patch";

import type { Operation } from "../api/types";

export type Patch = Operation[];

type Container = Record<string, unknown> | unknown[];

/** The parts of a JSON pointer (RFC 6901), unescaped. */
export function partsOf(pointer: string): string[] {
  return pointer
    .split("/")
    .slice(1)
    .map((part) => part.replaceAll("~1", "/").replaceAll("~0", "~"));
}

/** The value at a JSON pointer; undefined where there is none. */
export function valueAt(document: unknown, pointer: string): unknown {
  return partsOf(pointer).reduce<unknown>((at, part) => (at as Record<string, unknown> | undefined)?.[part], document);
}

/**
 * A patched document (RFC 6902). What the patch does not touch is shared with the document it was made
 * from, which stays as it was: what is watched for a change of identity is drawn again only where
 * something changed.
 */
export function patched<T extends object>(document: T, patch: Patch): T {
  const root = copyOf(document as Container);
  const fresh = new Set<Container>([root]);
  for (const { path, from } of patch) {
    for (const pointer of from === undefined ? [path] : [path, from]) ownAlong(root, pointer, fresh);
  }
  const copied = patch.map((one) => ("value" in one ? { ...one, value: deepClone(one.value) } : one));
  return applyPatch(root, copied as LibraryOperation[], false, true).newDocument as T;
}

const MOST_CHANGES = 64;

/** The patch that leads from one document to another; a part with very many changes is replaced as a whole. */
export function difference(before: object, after: object): Patch {
  const patch = compare(before, after) as Patch;
  if (patch.length <= MOST_CHANGES) return patch;
  const parts: Record<string, Patch> = {};
  for (const one of patch) (parts[`/${one.path.split("/")[1]}`] ??= []).push(one);
  return Object.entries(parts).flatMap(([path, changes]) => {
    const value = valueAt(after, path);
    const whole = changes.length > MOST_CHANGES && valueAt(before, path) !== undefined && value !== undefined;
    return whole ? [{ op: "replace" as const, path, value: deepClone(value) }] : changes;
  });
}

/** A change of a copy as a patch. */
export function changeOf<T extends object>(document: T, change: (copy: T) => void): Patch {
  const copy = deepClone(document) as T;
  change(copy);
  return difference(document, copy);
}

const copyOf = (one: Container): Container => (Array.isArray(one) ? [...one] : { ...one });

/** Replace every container on the way to a pointer by a copy of its own, once. */
function ownAlong(root: Container, pointer: string, fresh: Set<Container>): void {
  let at = root as Record<string, unknown>;
  for (const part of partsOf(pointer).slice(0, -1)) {
    let next = at[part];
    if (typeof next !== "object" || next === null) return;
    if (!fresh.has(next as Container)) {
      next = at[part] = copyOf(next as Container);
      fresh.add(next as Container);
    }
    at = next as Record<string, unknown>;
  }
}
