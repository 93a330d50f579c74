/** A picture that is being painted: red, green and blue bytes, row by row. */
export interface Canvas {
  readonly width: number;
  readonly height: number;
  readonly bytes: Uint8Array;
}

export type Colour = readonly [red: number, green: number, blue: number];

function blend(canvas: Canvas, x: number, y: number, [r, g, b]: Colour, cover: number): void {
  const i = (y * canvas.width + x) * 3;
  const bytes = canvas.bytes;
  bytes[i] += (r - bytes[i]) * cover;
  bytes[i + 1] += (g - bytes[i + 1]) * cover;
  bytes[i + 2] += (b - bytes[i + 2]) * cover;
}

/** A stroke with round ends between two points, `r` pixels to each side. */
export function stroke(canvas: Canvas, x0: number, y0: number, x1: number, y1: number, r: number, colour: Colour): void {
  const left = Math.max(0, Math.floor(Math.min(x0, x1) - r - 1));
  const right = Math.min(canvas.width - 1, Math.ceil(Math.max(x0, x1) + r + 1));
  const top = Math.max(0, Math.floor(Math.min(y0, y1) - r - 1));
  const foot = Math.min(canvas.height - 1, Math.ceil(Math.max(y0, y1) + r + 1));
  const dx = x1 - x0;
  const dy = y1 - y0;
  const length = dx * dx + dy * dy || 1e-9;
  for (let y = top; y <= foot; y++) {
    for (let x = left; x <= right; x++) {
      const along = Math.min(1, Math.max(0, ((x - x0) * dx + (y - y0) * dy) / length));
      const far = Math.hypot(x - x0 - along * dx, y - y0 - along * dy);
      const cover = Math.min(1, Math.max(0, r + 0.5 - far));
      if (cover > 0) blend(canvas, x, y, colour, cover);
    }
  }
}

/** A soft-edged ellipse; `cover` 0 to 1 at its middle. */
export function ellipse(
  canvas: Canvas,
  cx: number,
  cy: number,
  rx: number,
  ry: number,
  colour: Colour,
  cover: number,
  soft: boolean,
): void {
  const left = Math.max(0, Math.floor(cx - rx));
  const right = Math.min(canvas.width - 1, Math.ceil(cx + rx));
  const top = Math.max(0, Math.floor(cy - ry));
  const foot = Math.min(canvas.height - 1, Math.ceil(cy + ry));
  for (let y = top; y <= foot; y++) {
    for (let x = left; x <= right; x++) {
      const d = ((x - cx) / rx) ** 2 + ((y - cy) / ry) ** 2;
      if (d < 1) blend(canvas, x, y, colour, soft ? cover * (1 - d) : cover * Math.min(1, (1 - d) * 4));
    }
  }
}

/** Multiplies what is under a soft ellipse: shadows (below 1) and pools of light (above 1). */
export function shade(canvas: Canvas, cx: number, cy: number, rx: number, ry: number, factor: number): void {
  const left = Math.max(0, Math.floor(cx - rx));
  const right = Math.min(canvas.width - 1, Math.ceil(cx + rx));
  const top = Math.max(0, Math.floor(cy - ry));
  const foot = Math.min(canvas.height - 1, Math.ceil(cy + ry));
  for (let y = top; y <= foot; y++) {
    for (let x = left; x <= right; x++) {
      const d = ((x - cx) / rx) ** 2 + ((y - cy) / ry) ** 2;
      if (d >= 1) continue;
      const by = 1 + (factor - 1) * (1 - d) * (1 - d);
      const i = (y * canvas.width + x) * 3;
      for (let c = 0; c < 3; c++) canvas.bytes[i + c] = Math.min(255, canvas.bytes[i + c] * by);
    }
  }
}

/** A filled rectangle. */
export function block(canvas: Canvas, x0: number, y0: number, x1: number, y1: number, colour: Colour): void {
  for (let y = Math.max(0, Math.round(y0)); y < Math.min(canvas.height, Math.round(y1)); y++) {
    for (let x = Math.max(0, Math.round(x0)); x < Math.min(canvas.width, Math.round(x1)); x++) blend(canvas, x, y, colour, 1);
  }
}
