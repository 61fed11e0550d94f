/** Files and folders that were dropped or chosen, with the folders they lay in. */
import type { Incoming } from "./arrivals";

/** All files of a drop; folders are gone through to their ends. */
export async function droppedFiles(transfer: DataTransfer): Promise<Incoming[]> {
  // The list is emptied as soon as the event is over.
  const entries = [...transfer.items].map((item) => item.webkitGetAsEntry());
  const plain = [...transfer.files];
  if (entries.every((entry) => entry === null)) return plain.map((file) => ({ file, folder: "" }));
  const found = await Promise.all(entries.filter((entry) => entry !== null).map((entry) => inside(entry, "")));
  return found.flat();
}

/** Files chosen one by one, or with their folder. */
export const chosenFiles = (files: Iterable<File>): Incoming[] =>
  [...files].filter(isShown).map((file) => {
    const path = file.webkitRelativePath;
    return { file, folder: path.slice(0, Math.max(0, path.lastIndexOf("/"))) };
  });

const isShown = ({ name }: { name: string }) => !name.startsWith(".");

async function inside(entry: FileSystemEntry, folder: string): Promise<Incoming[]> {
  if (!isShown(entry)) return [];
  if (entry instanceof FileSystemFileEntry || entry.isFile) {
    const file = await new Promise<File>((done, fail) => {
      (entry as FileSystemFileEntry).file(done, fail);
    });
    return [{ file, folder }];
  }
  const below = folder ? `${folder}/${entry.name}` : entry.name;
  const reader = (entry as FileSystemDirectoryEntry).createReader();
  const found: Incoming[] = [];
  // A reader gives a part at a time, and an empty one at the end.
  for (;;) {
    const part = await new Promise<FileSystemEntry[]>((done, fail) => {
      reader.readEntries(done, fail);
    });
    if (part.length === 0) return found;
    for (const one of part) found.push(...(await inside(one, below)));
  }
}
