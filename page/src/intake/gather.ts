/** A file to take in, with its path; null in place of one that the browser may not read. */
export type Gathered = { name: string; file: File | null };

const SYSTEM_FILES = /(^|\/)(\.|__MACOSX|Thumbs\.db$)/;

/** All files of a drop, those in dropped folders too, without those that a system leaves about. */
export async function gatherDrop(items: DataTransferItemList): Promise<Gathered[]> {
  // Entries must be taken from the list before the first await; the browser empties it afterwards.
  const entries = [...items].map((item) => item.webkitGetAsEntry()).filter((entry) => entry !== null);
  return (await Promise.all(entries.map(walk))).flat().filter(({ name }) => !SYSTEM_FILES.test(name));
}

export const gatherChosen = (files: FileList): Gathered[] => [...files].map((file) => ({ name: file.name, file }));

async function walk(entry: FileSystemEntry): Promise<Gathered[]> {
  const name = entry.fullPath.replace(/^\//, '');
  try {
    if (entry.isFile) {
      const file = await new Promise<File>((done, failed) => (entry as FileSystemFileEntry).file(done, failed));
      return [{ name, file }];
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
  } catch {
    return [{ name, file: null }];
  }
}
