import { expect, it } from "vitest";

import { dragOut } from "./dragOut";

it("offers the file under the name of the sound", () => {
  const given: Record<string, string> = {};
  const dataTransfer = { setData: (kind: string, text: string) => (given[kind] = text), effectAllowed: "" };
  dragOut({ dataTransfer } as never, { id: 7, name: "Lid: 2/3", filename: "GH07_01.flac" } as never);
  expect(given["DownloadURL"]).toBe(`application/octet-stream:Lid_ 2_3.flac:${location.origin}/api/recordings/7/file`);
  expect(given["text/uri-list"]).toMatch(/recordings\/7\/file$/);
  expect(dataTransfer.effectAllowed).toBe("copy");
});
