import type { Patch } from "../composables/patches";
import type { Revision, Wire } from "../composables/revisions";
import { useNotices } from "../stores/notices";
import { ApiError, sentence } from "./client";

/** Ask of an address; throws an ApiError with the server's sentence where it refuses. */
export async function asked<R>(method: string, address: string, body?: object): Promise<R> {
  let answer: Response;
  try {
    const headers = { "Content-Type": "application/json" };
    answer = await fetch(address, { method, headers, body: body && JSON.stringify(body) });
  } catch {
    throw new ApiError("The server does not answer: is it still running?", 0);
  }
  const found: unknown = await answer.json().catch(() => null);
  if (!answer.ok) throw new ApiError(sentence(found), answer.status);
  return found as R;
}

/** The way to documents with revisions at an address: every kind of them is served alike. */
export function revisedAt<T extends object, R extends Revision<T>>(
  address: (id: number) => string,
  arrived: Wire<T, R>["arrived"],
): Wire<T, R> {
  return {
    load: (id) => asked("GET", address(id)),
    send: (id, change: { revision: number; label: string; patch: Patch }) => asked("PATCH", address(id), change),
    step: (id, way, revision) => asked("POST", `${address(id)}/${way}`, { revision }),
    complain: (error) => useNotices().complain(error),
    arrived,
  };
}
