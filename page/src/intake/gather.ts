export type Gathered = { name: string; file: File };

/** All files of a drop, those in dropped folders too, with their paths. */
export async function gatherDrop(items: DataTransferItemList): Promise<Gathered[]> {
  // Entries must be taken from the list before the first await; the browser empties it afterwards.
  const entries = [...items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  return (await Promise.all(entries.map(walk))).flat();
}

export const gatherChosen = (files: FileList): Gathered[] => [...files].map((file) => ({ name: file.name, file }));

async function walk(entry: FileSystemEntry): Promise<Gathered[]> {
  if (entry.isFile) {
    const file = await new Promise<File>((done, failed) => (entry as FileSystemFileEntry).file(done, failed));
    return [{ name: entry.fullPath.replace(/^\//, ''), file }];
  }
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const found: FileSystemEntry[] = [];
  // A reader gives its entries in batches, and says that it is through by an empty one.
  for (;;) {
    const batch = await new Promise<FileSystemEntry[]>((done, failed) => reader.readEntries(done, failed));
    if (batch.length === 0) break;
    found.push(...batch);
  }
  return (await Promise.all(found.map(walk))).flat();
}
