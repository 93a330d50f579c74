/**
 * What a kernel works on, one array a quantity, all in one block of memory so that plain code and WebAssembly see the
 * same bytes. Grey levels, differences and deviations are fixed point with seven bits after the point ("level × 128").
 */
export interface KernelMemory {
  readonly width: number;
  readonly height: number;
  /** The picture as it was decoded. */
  readonly picture: Uint8Array;
  /** Sums of columns while a picture is reduced. */
  readonly columns: Uint16Array;
  /** The reduced picture. */
  readonly cells: Uint8Array;
  readonly rows: Uint16Array;
  /** The reduced picture, blurred. */
  readonly now: Int16Array;
  /** What usually stands there, and how much it moves by itself. */
  readonly mean: Int16Array;
  readonly deviation: Int16Array;
  /** The largest deviation near by. */
  readonly around: Int16Array;
  readonly spread: Int16Array;
  /** What stood there a moment ago. */
  readonly recent: Int16Array;
  /** 255 where a thing is followed: there nothing is learned. */
  readonly hold: Uint8Array;
  /** 1 where a cell differs from what usually stands there; where it differs from a moment ago too; without specks; joined. */
  readonly changed: Uint8Array;
  readonly active: Uint8Array;
  readonly clean: Uint8Array;
  readonly grown: Uint8Array;
  /** Runs of joined cells, row by row: where each begins, and one behind its end. */
  readonly begin: Int32Array;
  readonly end: Int32Array;
  readonly histogram: Uint16Array;
}

/** Pictures wider than this are not reduced by columns of this memory. */
const widest = 16_384;
/** Reading may run over an array's end by one vector. */
const guard = 64;

const align = (bytes: number): number => (bytes + 63) & ~63;

/** Lays out a kernel's memory from `start` on; `buffer` is asked for once the size is known. */
export function layOut(
  width: number,
  height: number,
  pictureBytes: number,
  start: number,
  buffer: (bytes: number) => ArrayBufferLike,
): KernelMemory {
  const size = width * height;
  // A joined run has three cells at least, and one between it and the next.
  const runs = height * ((width >> 2) + 1);
  const lengths = {
    picture: pictureBytes,
    columns: widest * 2,
    cells: size,
    rows: size * 2,
    now: size * 2,
    mean: size * 2,
    deviation: size * 2,
    around: size * 2,
    spread: size * 2,
    recent: size * 2,
    hold: size,
    changed: size,
    active: size,
    clean: size,
    grown: size,
    begin: runs * 4,
    end: runs * 4,
    histogram: 512 * 2,
  };
  let last = start;
  const offsets = Object.fromEntries(
    Object.entries(lengths).map(([name, bytes]) => {
      const at = align(last + guard);
      last = at + bytes;
      return [name, at];
    }),
  ) as Record<keyof typeof lengths, number>;
  const block = buffer(align(last + guard));
  const bytes = (name: keyof typeof lengths) => new Uint8Array(block, offsets[name], lengths[name]);
  const words = (name: keyof typeof lengths) => new Uint16Array(block, offsets[name], lengths[name] / 2);
  const places = (name: keyof typeof lengths) => new Int32Array(block, offsets[name], lengths[name] / 4);
  const signed = (name: keyof typeof lengths) => new Int16Array(block, offsets[name], lengths[name] / 2);
  return {
    width,
    height,
    picture: bytes('picture'),
    columns: words('columns'),
    cells: bytes('cells'),
    rows: words('rows'),
    now: signed('now'),
    mean: signed('mean'),
    deviation: signed('deviation'),
    around: signed('around'),
    spread: signed('spread'),
    recent: signed('recent'),
    hold: bytes('hold'),
    changed: bytes('changed'),
    active: bytes('active'),
    clean: bytes('clean'),
    grown: bytes('grown'),
    begin: places('begin'),
    end: places('end'),
    histogram: words('histogram'),
  };
}
