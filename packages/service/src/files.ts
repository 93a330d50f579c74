import { rename, writeFile } from 'node:fs/promises';

/** Writes a file that only its owner can read, whole or not at all: a start that is killed leaves no half of one. */
export async function writeWhole(file: string, text: string): Promise<void> {
  await writeFile(`${file}.new`, text, { mode: 0o600 });
  await rename(`${file}.new`, file);
}
