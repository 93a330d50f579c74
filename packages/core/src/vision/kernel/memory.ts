import type { Grid } from '../grid.js';

/**
 * What a kernel works on, one array a quantity. Grey levels, differences and deviations are fixed point with seven bits
 * after the point ("level × 128"). What is needed from one picture to the next is the kernel's own; the rest is a bench
 * that kernels share, each for as long as it looks at one picture.
 */
export interface KernelMemory {
  readonly width: number;
  readonly height: number;
  /** Its own: the reduced picture. */
  readonly cells: Uint8Array;
  /** What usually stands there, and how much it moves by itself. */
  readonly mean: Int16Array;
  readonly deviation: Int16Array;
  /** The largest deviation near by. */
  readonly around: Int16Array;
  /** What stood there a moment ago. */
  readonly recent: Int16Array;
  /** 255 where a thing is followed: there nothing is learned. */
  readonly hold: Uint8Array;
  /** Shared: the picture as it was decoded. */
  readonly picture: Uint8Array;
  /** Sums of columns while a picture is reduced. */
  readonly columns: Uint16Array;
  /** A row while a picture is blurred. */
  readonly row: Uint16Array;
  /** The reduced picture, blurred. */
  readonly now: Int16Array;
  readonly spread: Int16Array;
  /** 1 where a cell differs from what usually stands there; where it differs from a moment ago too; without specks; joined. */
  readonly changed: Uint8Array;
  readonly active: Uint8Array;
  readonly clean: Uint8Array;
  readonly grown: Uint8Array;
  /** 1 where a row has anything without specks: most have nothing. */
  readonly busy: Uint8Array;
  /** Runs of joined cells, row by row: where each begins, and one behind its end. */
  readonly begin: Int32Array;
  readonly end: Int32Array;
  /** Of each run a run of the same blob that came before, or itself; of each blob, at its first run: where its next cells are listed. */
  readonly leads: Int32Array;
  readonly place: Int32Array;
  /** The cells of all blobs, blob by blob, each row by row. */
  readonly listed: Int32Array;
  readonly histogram: Uint16Array;
}

/** How large a kernel's grid is, and its pictures. */
export interface KernelSize extends Grid {
  readonly pictureBytes: number;
}

const types = { u8: Uint8Array, u16: Uint16Array, i16: Int16Array, i32: Int32Array } as const;
type Part = readonly [type: keyof typeof types, length: number];

/** Reading and writing may run over an array's end by one vector. */
const guard = 64;
const align = (bytes: number): number => (bytes + 63) & ~63;

const own = (size: number) =>
  ({
    cells: ['u8', size],
    mean: ['i16', size],
    deviation: ['i16', size],
    around: ['i16', size],
    recent: ['i16', size],
    hold: ['u8', size],
  }) as const satisfies Record<string, Part>;

function shared({ width, height, factor, pictureBytes }: KernelSize) {
  const size = width * height;
  // A joined run has three cells at least, and one between it and the next.
  const runs = height * ((width >> 2) + 1);
  return {
    picture: ['u8', pictureBytes],
    columns: ['u16', width * factor],
    row: ['u16', width],
    now: ['i16', size],
    spread: ['i16', size],
    changed: ['u8', size],
    active: ['u8', size],
    clean: ['u8', size],
    busy: ['u8', height],
    grown: ['u8', size],
    begin: ['i32', runs],
    end: ['i32', runs],
    leads: ['i32', runs],
    place: ['i32', runs],
    listed: ['i32', size],
    histogram: ['u16', 512],
  } as const satisfies Record<string, Part>;
}

const partsOf = (size: KernelSize) => ({ own: own(size.width * size.height), shared: shared(size) });

const bytesOf = (parts: Readonly<Record<string, Part>>): number =>
  Object.values(parts).reduce((sum, [type, length]) => align(sum + guard) + length * types[type].BYTES_PER_ELEMENT, 0) + guard;

/** Bytes that a kernel of this size needs for itself, and shared with others. */
export function roomFor(size: KernelSize): { readonly own: number; readonly shared: number } {
  const parts = partsOf(size);
  return { own: align(bytesOf(parts.own)), shared: align(bytesOf(parts.shared)) };
}

type Arrays<P> = {
  [K in keyof P]: P[K] extends readonly [infer T extends keyof typeof types, number] ? InstanceType<(typeof types)[T]> : never;
};

function arrays<P extends Readonly<Record<string, Part>>>(parts: P, buffer: ArrayBuffer, start: number): Arrays<P> {
  let last = start;
  return Object.fromEntries(
    Object.entries(parts).map(([name, [type, length]]) => {
      const at = align(last + guard);
      last = at + length * types[type].BYTES_PER_ELEMENT;
      return [name, new types[type](buffer, at, length)];
    }),
  ) as Arrays<P>;
}

/** Lays out a kernel's memory: its own from `ownAt` on, what it shares from `sharedAt` on. */
export function layOut(size: KernelSize, buffer: ArrayBuffer, ownAt: number, sharedAt: number): KernelMemory {
  const parts = partsOf(size);
  return { width: size.width, height: size.height, ...arrays(parts.own, buffer, ownAt), ...arrays(parts.shared, buffer, sharedAt) };
}
