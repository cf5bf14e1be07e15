import { api, wanted } from "../api/client";
import type { components } from "../api/schema";

/** A wavetable to look at: its waves as signed bytes, frame by frame. */
export type TablePicture = Omit<components["schemas"]["TablePicture"], "ink"> & { ink: Int8Array };

export function unpacked(found: components["schemas"]["TablePicture"]): TablePicture {
  return { ...found, ink: Int8Array.from(atob(found.ink), (letter) => letter.charCodeAt(0)) };
}

const kept = new Map<string, Promise<TablePicture>>();

/** A file of cycles, as a wave layer reads it. */
export function fetchCycles(digest: string, cycle: number): Promise<TablePicture> {
  const key = `${digest} ${cycle}`;
  const found =
    kept.get(key) ?? wanted(api.GET("/api/sounds/{digest}/cycles/{cycle}", { params: { path: { digest, cycle } } })).then(unpacked);
  found.catch(() => kept.delete(key));
  kept.set(key, found);
  return found;
}
