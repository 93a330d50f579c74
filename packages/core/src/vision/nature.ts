import type { BlobVerdict } from '@causalis/contract';
import type { Blob } from './blobs.js';
import type { Kernel } from './kernel/kernel.js';
import { isLight } from './light.js';
import type { MotionValues } from './motion.js';

/** What a blob is by itself: something that moves, or what no setting makes an event of. */
export type BlobNature = 'thing' | 'still' | 'light' | 'sways' | 'fleeting';

/** A thing has moved when this share of its cells differs from a moment ago. */
const activeShare = 0.03;

/** A thing as large as this, in cells, of which this share lies inside of it, is whole: what sways in the wind is ragged. */
const whole = { cells: 150, inside: 0.75 };

/** What a blob is by itself. `restless`: beyond how many grey levels of usual movement only what goes somewhere counts. */
export function natureOf(pieces: readonly Blob[], cells: Int32Array, kernel: Kernel, restless: number): BlobNature {
  const { active, changed, around: restlessness } = kernel.memory;
  let [moving, other, usual] = [0, 0, 0];
  for (const piece of pieces) {
    for (let k = piece.from; k < piece.from + piece.cells; k++) {
      const i = cells[k];
      moving += active[i];
      other += changed[i];
      if (changed[i] === 1) usual += restlessness[i];
    }
  }
  if (moving < Math.max(2, other * activeShare)) return 'still';
  if (pieces.every((piece) => isLight(piece, cells, kernel))) return 'light';
  if (usual <= other * restless * 128) return 'thing';
  // Of a place that is hardly known nobody can say so.
  return restless > 0 && other >= whole.cells && insideOf(pieces, cells, kernel) >= other * whole.inside ? 'thing' : 'sways';
}

/** How many changed cells have changed ones on all four sides. */
function insideOf(pieces: readonly Blob[], cells: Int32Array, { memory: { changed, width } }: Kernel): number {
  let count = 0;
  for (const { from, cells: length } of pieces) {
    for (let k = from; k < from + length; k++) {
      const i = cells[k];
      // The outermost cells of a picture never hang together with others: each has four around it.
      count += changed[i] & changed[i - 1] & changed[i + 1] & changed[i - width] & changed[i + width];
    }
  }
  return count;
}

/** What the filters make of a blob. */
export function verdictOf(
  { size, nature, inZones }: { readonly size: number; readonly nature: BlobNature; readonly inZones: readonly number[] },
  { smallest, largest }: Pick<MotionValues, 'smallest' | 'largest'>,
): BlobVerdict {
  if (!inZones.some((count) => count > 0)) return 'outside';
  if (size < smallest) return 'too-small';
  if (size > largest) return 'too-large';
  return nature === 'thing' ? 'counted' : nature;
}
