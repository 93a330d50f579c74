import { appendFile, mkdir, readdir, readFile, rm, stat } from 'node:fs/promises';
import path from 'node:path';
import type { BlobNature, RememberedFrame } from '@causalis/core';

/** So long is remembered what moved. */
const keepMs = 24 * 3_600_000;
const hourMs = 3_600_000;
/** An hour of a camera takes so much at most; what comes then is left out. */
const mostBytesAnHour = 6 * 1024 * 1024;

const natures: readonly BlobNature[] = ['thing', 'still', 'light', 'sways', 'fleeting'];
type Line = readonly [time: number, cells: number, flags: number, blobs: readonly (readonly number[])[]];

/** One picture's blobs as a short line of numbers. */
export function writeFrame({ timeMs, cells, dark, settling, blobs }: RememberedFrame): string {
  const rows = blobs.map(({ box, size, nature, blocks }) => [
    ...box.map((value) => Math.round(value * 10_000)),
    Math.round(size * 1e7),
    natures.indexOf(nature),
    ...blocks,
  ]);
  return JSON.stringify([timeMs, cells, (dark ? 1 : 0) + (settling ? 2 : 0), rows] satisfies Line);
}

/** Reads such a line; nothing of one that was half written. */
export function readFrame(line: string): RememberedFrame | undefined {
  try {
    const [timeMs, cells, flags, rows] = JSON.parse(line) as Line;
    const blobs = rows.map(([x, y, w, h, size, nature, ...blocks]) => ({
      box: [x / 10_000, y / 10_000, w / 10_000, h / 10_000] as [number, number, number, number],
      size: size / 1e7,
      nature: natures[nature] ?? 'thing',
      blocks,
    }));
    return { timeMs, cells, dark: (flags & 1) !== 0, settling: (flags & 2) !== 0, blobs };
  } catch {
    return undefined;
  }
}

/** Remembers for a day what moved on each camera's pictures, without the pictures: other settings can be tried on it. */
export class Remembered {
  private readonly folder: string;
  private readonly wall: () => number;
  private readonly sizes = new Map<string, number>();
  private line: Promise<unknown> = Promise.resolve();

  constructor(folder: string, wall: () => number) {
    this.folder = folder;
    this.wall = wall;
  }

  /** Adds pictures of a camera, in the order of their times. Whatever goes wrong is only a gap in what is remembered. */
  add(camera: string, frames: readonly RememberedFrame[]): Promise<void> {
    const written = this.line.then(() => this.write(camera, frames)).catch(() => undefined);
    this.line = written;
    return written;
  }

  /** What is remembered of a camera from one time to another, wall ms. */
  async read(camera: string, from: number, to: number): Promise<RememberedFrame[]> {
    await this.line;
    const frames: RememberedFrame[] = [];
    for (let hour = Math.floor(from / hourMs); hour <= Math.floor(to / hourMs); hour++) {
      const written = await readFile(this.file(camera, hour), 'utf8').catch(() => '');
      for (const line of written.split('\n')) {
        const frame = line === '' ? undefined : readFrame(line);
        if (frame && frame.timeMs >= from && frame.timeMs <= to) frames.push(frame);
      }
    }
    return frames;
  }

  private file(camera: string, hour: number): string {
    return path.join(this.folder, camera, `${hour}.jsonl`);
  }

  private async write(camera: string, frames: readonly RememberedFrame[]): Promise<void> {
    const byHour = groupByHour(frames);
    for (const [hour, those] of byHour) {
      const file = this.file(camera, hour);
      if (!this.sizes.has(file)) await this.begin(camera, file);
      const text = `${those.map(writeFrame).join('\n')}\n`;
      const size = (this.sizes.get(file) ?? 0) + text.length;
      if (size > mostBytesAnHour) continue;
      this.sizes.set(file, size);
      await appendFile(file, text, { mode: 0o600 });
    }
  }

  /** A new hour: what is older than a day goes. */
  private async begin(camera: string, file: string): Promise<void> {
    const folder = path.dirname(file);
    await mkdir(folder, { recursive: true, mode: 0o700 });
    const oldest = Math.floor((this.wall() - keepMs) / hourMs);
    for (const name of await readdir(folder)) if (Number.parseInt(name, 10) < oldest) await rm(path.join(folder, name), { force: true });
    for (const known of this.sizes.keys()) if (known.includes(`${path.sep}${camera}${path.sep}`)) this.sizes.delete(known);
    this.sizes.set(file, (await stat(file).catch(() => undefined))?.size ?? 0);
  }
}

function groupByHour(frames: readonly RememberedFrame[]): Map<number, RememberedFrame[]> {
  const groups = new Map<number, RememberedFrame[]>();
  for (const frame of frames) {
    const hour = Math.floor(frame.timeMs / hourMs);
    groups.set(hour, [...(groups.get(hour) ?? []), frame]);
  }
  return groups;
}
