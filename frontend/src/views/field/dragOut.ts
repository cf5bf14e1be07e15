import type { RecordingLine } from "../../api/types";

/**
 * Let a sound be dropped on the desktop or into another program as its own file.
 *
 * Browsers that know `DownloadURL` fetch the file where it is dropped; others hand over the address.
 */
export function dragOut(event: DragEvent, { id, name, filename }: RecordingLine): void {
  const address = new URL(`/api/recordings/${id}/file`, location.href).href;
  const suffix = /\.[^.]+$/.exec(filename)?.[0] ?? ".wav";
  const safe = name.replace(/[:/\\]/g, "_");
  event.dataTransfer?.setData("DownloadURL", `application/octet-stream:${safe}${suffix}:${address}`);
  event.dataTransfer?.setData("text/uri-list", address);
  if (event.dataTransfer) event.dataTransfer.effectAllowed = "copy";
}
