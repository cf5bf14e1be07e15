const folders = new WeakMap<File, string>();

/** The outermost folder that a file came in, by drop or by choice; empty for a file on its own. */
export const folderOf = (file: File): string => folders.get(file) ?? /^[^/]+(?=\/)/.exec(file.webkitRelativePath ?? "")?.[0] ?? "";

/** All files in what was dropped, folders opened. */
export async function droppedFiles(transfer: DataTransfer): Promise<File[]> {
  const entries = [...transfer.items].map((item) => item.webkitGetAsEntry?.()).filter((one) => one !== null && one !== undefined);
  if (!entries.length) return [...transfer.files];
  return (await Promise.all(entries.map(within))).flat();
}

async function within(entry: FileSystemEntry): Promise<File[]> {
  const files = await filesOf(entry);
  if (!entry.isFile) for (const file of files) folders.set(file, entry.name);
  return files;
}

async function filesOf(entry: FileSystemEntry): Promise<File[]> {
  if (entry.isFile) {
    const file = await new Promise<File>((resolve, reject) => (entry as FileSystemFileEntry).file(resolve, reject));
    // what systems leave behind in folders is no recording
    return file.name.startsWith(".") ? [] : [file];
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const inside: FileSystemEntry[] = [];
  for (;;) {
    // a reader gives a folder in batches, and an empty one at the end
    const batch = await new Promise<FileSystemEntry[]>((resolve, reject) => reader.readEntries(resolve, reject));
    if (!batch.length) break;
    inside.push(...batch);
  }
  return (await Promise.all(inside.map(filesOf))).flat();
}
