import { api, wanted } from "../api/client";
import { useNotices } from "../stores/notices";

/** Choose a file that holds a movement or a chain, and keep that for reuse. */
export function openKept(): void {
  const entry = document.createElement("input");
  entry.type = "file";
  entry.accept = ".json";
  entry.onchange = () => void keepFile(entry.files?.[0]);
  entry.click();
}

/** Keep what a file holds; says what it was. */
export async function keepFile(file: File | undefined): Promise<void> {
  if (!file) return;
  try {
    const piece = parsed(await file.text());
    const { kind, name } = await wanted(api.POST("/api/kept", { body: { piece } }));
    useNotices().say(`The ${kind} '${name}' is kept: it stands in the menu.`);
  } catch (error) {
    useNotices().complain(error);
  }
}

function parsed(text: string): Record<string, unknown> {
  try {
    const found: unknown = JSON.parse(text);
    if (found && typeof found === "object" && !Array.isArray(found)) return found as Record<string, unknown>;
  } catch {
    // said below
  }
  throw new Error("This file holds neither a movement nor a chain of effects.");
}
