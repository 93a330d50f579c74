import { mkdir, open, readdir, readFile, rename, rm, stat } from 'node:fs/promises';
import path from 'node:path';
import { newId } from '../ids.js';
import type { MediaRow } from '../ledger/stepped.js';
import { pass } from '../moments.js';

/** Where the pictures of one site lie, and how they come there. */
export interface EvidenceParts {
  readonly folder: string;
  /** The main picture of a camera nearest to a wall time, encoded afresh. */
  readonly pictureAt: (camera: string, wall: number) => Promise<{ jpeg: Buffer; at: number } | undefined>;
  /** Writes a row for a picture that no entry brings. */
  readonly insert: (row: MediaRow) => Promise<void>;
  /** Whether the disk has room for pictures. */
  readonly hasRoom: () => boolean;
  readonly find: (id: string) => Promise<string | undefined>;
}

/** Keeps pictures: a file is whole and on the disk before anything names it. */
export class Evidence {
  private readonly parts: EvidenceParts;

  constructor(parts: EvidenceParts) {
    this.parts = parts;
  }

  /** False while the disk is nearly full: what matters more than pictures needs the rest. */
  get hasRoom(): boolean {
    return this.parts.hasRoom();
  }

  /** The picture of a camera nearest to a moment, which is not kept by this. */
  pictureAt(camera: string, wall: number): Promise<{ jpeg: Buffer; at: number } | undefined> {
    return this.parts.pictureAt(camera, wall);
  }

  /** Writes a picture to disk and returns its row, which becomes durable with the event that names it. */
  async write(camera: string, jpeg: Buffer, at: number, event?: string): Promise<MediaRow> {
    const id = newId();
    const day = new Date(at).toISOString().slice(0, 10);
    const name = path.join(day, camera, `${id}.jpg`);
    const whole = path.join(this.parts.folder, name);
    await mkdir(path.dirname(whole), { recursive: true, mode: 0o700 });
    const half = `${whole}.part`;
    const file = await open(half, 'w', 0o600);
    try {
      await file.writeFile(jpeg);
      await file.datasync();
    } finally {
      await file.close();
    }
    await rename(half, whole);
    pass('evidence-written');
    return { id, camera, at, path: name, bytes: jpeg.length, ...(event === undefined ? {} : { event }) };
  }

  /** Takes a picture of a camera at a moment and keeps it; its id, or nothing when there is none. */
  async keep(camera: string, wall: number, event: string): Promise<string | undefined> {
    if (!this.parts.hasRoom()) return undefined;
    const picture = await this.parts.pictureAt(camera, wall);
    if (!picture) return undefined;
    const row = await this.write(camera, picture.jpeg, picture.at, event);
    await this.parts.insert(row);
    return row.id;
  }

  /** A kept picture. */
  async read(id: string): Promise<Buffer | undefined> {
    const name = await this.parts.find(id);
    if (name === undefined) return undefined;
    return await readFile(path.join(this.parts.folder, name)).catch(() => undefined);
  }
}

/**
 * Takes away files that no row names: of the last two days those written before a commit that never came and older than
 * `youngest`; or of the days before one everything that is not kept any more. Times: wall ms.
 */
export async function sweepOrphans(
  folder: string,
  isNamed: (id: string) => Promise<boolean>,
  which: { readonly youngest: number } | { readonly daysBefore: number },
): Promise<number> {
  const all = (await readdir(folder).catch(() => [] as string[])).sort();
  const youngest = 'youngest' in which ? which.youngest : Number.POSITIVE_INFINITY;
  const days = 'youngest' in which ? all.slice(-2) : all.filter((day) => day < new Date(which.daysBefore).toISOString().slice(0, 10));
  let swept = 0;
  for (const day of days) {
    for (const camera of await readdir(path.join(folder, day)).catch(() => [] as string[])) {
      for (const name of await readdir(path.join(folder, day, camera)).catch(() => [] as string[])) {
        const file = path.join(folder, day, camera, name);
        const known = name.endsWith('.jpg') && (await isNamed(name.slice(0, -4)));
        if (known || (await stat(file)).mtimeMs > youngest) continue;
        await rm(file);
        swept++;
      }
    }
  }
  return swept;
}
