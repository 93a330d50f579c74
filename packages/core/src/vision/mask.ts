import type { Position } from '@causalis/contract';

/** Cells of a grid whose middle lies inside a polygon become 1. */
export function fillPolygon(corners: readonly Position[], width: number, height: number): Uint8Array {
  const cells = new Uint8Array(width * height);
  for (let y = 0; y < height; y++) {
    const at = (y + 0.5) / height;
    const crossings: number[] = [];
    for (let i = 0, j = corners.length - 1; i < corners.length; j = i++) {
      const [xi, yi] = corners[i];
      const [xj, yj] = corners[j];
      if (yi > at !== yj > at) crossings.push((((xj - xi) * (at - yi)) / (yj - yi) + xi) * width);
    }
    crossings.sort((a, b) => a - b);
    for (let k = 0; k + 1 < crossings.length; k += 2) {
      const from = Math.max(0, Math.ceil(crossings[k] - 0.5));
      const to = Math.min(width - 1, Math.floor(crossings[k + 1] - 0.5));
      for (let x = from; x <= to; x++) cells[y * width + x] = 1;
    }
  }
  return cells;
}

/** Takes out specks: a changed cell stays only with at least `neighbours` of its eight changed too. */
export function despeckle(mask: Uint8Array, width: number, height: number, neighbours: number, into: Uint8Array): void {
  into.fill(0);
  for (let y = 1; y < height - 1; y++) {
    for (let x = 1, i = y * width + 1; x < width - 1; x++, i++) {
      if (mask[i] === 0) continue;
      const around =
        mask[i - width - 1] +
        mask[i - width] +
        mask[i - width + 1] +
        mask[i - 1] +
        mask[i + 1] +
        mask[i + width - 1] +
        mask[i + width] +
        mask[i + width + 1];
      if (around >= neighbours) into[i] = 1;
    }
  }
}

/** Joins what is one cell apart: every neighbour of a changed cell is taken as changed. */
export function grow(mask: Uint8Array, width: number, height: number, into: Uint8Array): void {
  into.fill(0);
  for (let y = 1; y < height - 1; y++) {
    for (let x = 1, i = y * width + 1; x < width - 1; x++, i++) {
      if (mask[i] === 0) continue;
      into[i - width - 1] = into[i - width] = into[i - width + 1] = 1;
      into[i - 1] = into[i] = into[i + 1] = 1;
      into[i + width - 1] = into[i + width] = into[i + width + 1] = 1;
    }
  }
}
