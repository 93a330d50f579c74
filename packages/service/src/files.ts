import { rename, statfs, writeFile } from 'node:fs/promises';

/** Writes a file that only its owner can read, whole or not at all: a start that is killed leaves no half of one. */
export async function writeWhole(file: string, text: string): Promise<void> {
  await writeFile(`${file}.new`, text, { mode: 0o600 });
  await rename(`${file}.new`, file);
}

/** Room that is left on the disk of a folder. */
export async function freeBytes(folder: string): Promise<number> {
  const { bavail, bsize } = await statfs(folder);
  return bavail * bsize;
}
