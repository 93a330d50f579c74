import type { Position } from '@causalis/contract';

/** An area of a picture: a polygon's corners, or rows of painted cells of equal length, `#` for painted. */
export type AreaShape = readonly Position[] | { readonly cells: readonly string[] };

/** Cells of a grid whose middle lies inside an area become 1. */
export function fillArea(area: AreaShape, width: number, height: number): Uint8Array {
  return 'cells' in area ? fillPainted(area.cells, width, height) : fillPolygon(area, width, height);
}

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

function fillPainted(rows: readonly string[], width: number, height: number): Uint8Array {
  const cells = new Uint8Array(width * height);
  if (rows.length === 0) return cells;
  for (let y = 0; y < height; y++) {
    const row = rows[Math.floor(((y + 0.5) / height) * rows.length)];
    for (let x = 0; x < width; x++) if (row[Math.floor(((x + 0.5) / width) * row.length)] === '#') cells[y * width + x] = 1;
  }
  return cells;
}

/** Whether a point lies inside an area. */
export function isInside(area: AreaShape, [x, y]: readonly [number, number]): boolean {
  if ('cells' in area) {
    const row = area.cells[Math.min(area.cells.length - 1, Math.floor(y * area.cells.length))];
    return row !== undefined && row[Math.min(row.length - 1, Math.floor(x * row.length))] === '#';
  }
  let odd = false;
  for (let i = 0, j = area.length - 1; i < area.length; j = i++) {
    const [xi, yi] = area[i];
    const [xj, yj] = area[j];
    if (yi > y !== yj > y && x < ((xj - xi) * (y - yi)) / (yj - yi) + xi) odd = !odd;
  }
  return odd;
}
