/** All files in what was dropped, folders opened. */
export async function droppedFiles(transfer: DataTransfer): Promise<File[]> {
  const entries = [...transfer.items].map((item) => item.webkitGetAsEntry?.()).filter((one) => one !== null && one !== undefined);
  if (!entries.length) return [...transfer.files];
  return (await Promise.all(entries.map(filesOf))).flat();
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
