import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import jpeg from '@julusian/jpeg-turbo';
import { listen } from './listen.js';
import { page } from './page.js';

/** What it says of one thing on a picture: a box of left, top, width, height from 0 to 1. */
interface Found {
  readonly label: string;
  readonly sure: number;
  readonly box: readonly [number, number, number, number];
}

const labels = ['person', 'vehicle', 'animal'] as const;
const mostBytes = 8 * 1024 * 1024;
/** It works on pictures of about this width. */
const gridWidth = 160;
/** A cell that differs so much from the usual picture belongs to a thing: as a whole, or in one of its colours. */
const difference = { light: 16, colour: 28 };
const leastCells = 10;
/** A cell is still when it changes by less than this; what is gone has been still for so many pictures. */
const stillWithin = 8;
const stillFor = 3;
/** What it has seen of a view is forgotten slowly. */
const learning = 0.04;

interface View {
  readonly width: number;
  readonly height: number;
  readonly usual: Float32Array;
  /** The same in red, green and blue, cell by cell. */
  readonly colours: Float32Array;
  /** The picture before, and for how many pictures each cell has hardly changed. */
  last: Float32Array;
  readonly still: Uint8Array;
  seen: number;
}

/**
 * A simulated recogniser: `POST` a JPEG, get `{ "objects": [{ "label", "sure", "box" }] }`; `GET` gives its labels. It
 * knows nothing of the scenes: it looks for what stands out from the pictures of the same view that it was given before,
 * and names it by its shape. Cameras are told apart by their pictures' likeness.
 */
export class Recogniser {
  readonly port: number;
  /** How it behaves: as it should, slowly, or wrong. */
  behaviour: 'well' | 'slow' | 'wrong' | 'refusing' = 'well';
  asked = 0;
  private readonly server: Server;
  private views: View[] = [];

  private constructor(server: Server, port: number) {
    this.server = server;
    this.port = port;
    server.on('request', (request, response) => void this.answer(request, response).catch(() => response.destroy()));
  }

  static async start(options: { readonly port: number }): Promise<Recogniser> {
    const server = createServer();
    return new Recogniser(server, await listen(server, options.port));
  }

  async stop(): Promise<void> {
    this.server.closeAllConnections();
    await new Promise((resolve) => this.server.close(resolve));
  }

  private async answer(request: IncomingMessage, response: ServerResponse): Promise<void> {
    if (request.method !== 'POST') {
      if (request.url === '/') {
        response.setHeader('content-type', 'text/html; charset=utf-8');
        response.end(
          page('Recogniser bench', `A simulated recogniser. It was asked ${this.asked} times.`, '<p>POST a JPEG to /look</p>', 5),
        );
      } else json(response, 200, { labels });
      return;
    }
    const parts: Buffer[] = [];
    let length = 0;
    for await (const part of request) {
      length += (part as Buffer).length;
      if (length > mostBytes) return json(response, 413, { error: 'too large' });
      parts.push(part as Buffer);
    }
    this.asked++;
    if (this.behaviour === 'slow') await new Promise((resolve) => setTimeout(resolve, 2_000));
    if (this.behaviour === 'refusing') return json(response, 503, { error: 'busy' });
    if (this.behaviour === 'wrong') return json(response, 200, { objects: [{ label: 'person', sure: 7, box: [null, 0, 2, 1] }] });
    try {
      json(response, 200, { objects: this.look(Buffer.concat(parts)) });
    } catch {
      json(response, 400, { error: 'no JPEG' });
    }
  }

  private look(bytes: Buffer): Found[] {
    const { cells, colours, w, h } = reduced(bytes);
    const view = this.viewOf(cells, colours, w, h);
    const gain = median(cells.map((level, i) => (level + 8) / (view.usual[i] + 8)));
    const mask = solid(
      cells.map((level, i) => {
        if (Math.abs(level - view.usual[i] * gain) > difference.light) return 1;
        return [0, 1, 2].some((k) => Math.abs(colours[i * 3 + k] - view.colours[i * 3 + k] * gain) > difference.colour) ? 1 : 0;
      }),
      w,
      h,
    );
    for (let i = 0; i < cells.length; i++) {
      const rate = view.seen < 8 ? 1 / (view.seen + 1) : mask[i] ? learning / 20 : learning;
      view.usual[i] += (cells[i] / gain - view.usual[i]) * rate;
      for (let k = i * 3; k < i * 3 + 3; k++) view.colours[k] += (colours[k] / gain - view.colours[k]) * rate;
    }
    for (let i = 0; i < cells.length; i++)
      view.still[i] = Math.abs(cells[i] - view.last[i]) < stillWithin ? Math.min(255, view.still[i] + 1) : 0;
    view.last = cells;
    view.seen++;
    if (view.seen < 8) return [];
    const found = components(mask, w, h);
    const gone = found.filter((one) => isGone(one, cells, view));
    for (const { places } of gone) {
      for (const i of places) {
        view.usual[i] = cells[i] / gain;
        for (let k = i * 3; k < i * 3 + 3; k++) view.colours[k] = colours[k] / gain;
      }
    }
    return joined(found.filter((one) => !gone.includes(one)).map(({ box }) => box)).map(named);
  }

  /** The view that a picture belongs to: the one that it differs least from. */
  private viewOf(cells: Float32Array, colours: Float32Array, width: number, height: number): View {
    const far = (view: View) => view.usual.reduce((sum, level, i) => sum + Math.min(60, Math.abs(level - cells[i])), 0) / cells.length;
    const [near] = this.views.filter((view) => view.width === width && view.height === height).sort((a, b) => far(a) - far(b));
    if (near && far(near) < 26) return near;
    const still = new Uint8Array(cells.length);
    const view = { width, height, usual: Float32Array.from(cells), colours: Float32Array.from(colours), last: cells, still, seen: 0 };
    this.views = [view, ...this.views].slice(0, 12);
    return view;
  }
}

/** A picture on the grid that it works on: how light each cell is, and its red, green and blue. */
function reduced(bytes: Buffer): { cells: Float32Array; colours: Float32Array; w: number; h: number } {
  const { data, width, height } = jpeg.decompressSync(bytes, { format: jpeg.FORMAT_RGB });
  const factor = Math.max(1, Math.round(width / gridWidth));
  const [w, h] = [Math.floor(width / factor), Math.floor(height / factor)];
  const colours = new Float32Array(w * h * 3);
  for (let y = 0; y < h * factor; y++) {
    for (let x = 0; x < w * factor; x++) {
      const [to, from] = [(Math.floor(y / factor) * w + Math.floor(x / factor)) * 3, (y * width + x) * 3];
      for (let k = 0; k < 3; k++) colours[to + k] += data[from + k] / (factor * factor);
    }
  }
  // Luma as in JPEG files (ITU-T T.871 §7).
  const cells = Float32Array.from(
    { length: w * h },
    (_, i) => 0.299 * colours[i * 3] + 0.587 * colours[i * 3 + 1] + 0.114 * colours[i * 3 + 2],
  );
  return { cells, colours, w, h };
}

const median = (values: Float32Array): number =>
  [...values.filter((_, i) => i % 7 === 0)].sort((a, b) => a - b)[Math.floor(values.length / 14)] ?? 1;

/** Without threads and specks: a cell stays with three of the eight around it. */
const solid = (mask: Float32Array, width: number, height: number): Float32Array =>
  mask.map((cell, i) => {
    const [x, y] = [i % width, Math.floor(i / width)];
    if (!cell || x === 0 || y === 0 || x === width - 1 || y === height - 1) return 0;
    let around = -1;
    for (const row of [i - width, i, i + width]) around += mask[row - 1] + mask[row] + mask[row + 1];
    return around >= 3 ? 1 : 0;
  });

/** What it calls a shape: upright is a person, long and large a vehicle, small and long an animal. */
function named(box: readonly [number, number, number, number]): Found {
  const shape = (box[2] * 16) / (box[3] * 9);
  if (shape < 0.85) return { label: 'person', sure: Math.min(0.97, 0.6 + (0.85 - shape) * 0.6), box };
  const large = box[2] * box[3] > 0.008;
  return { label: large ? 'vehicle' : 'animal', sure: Math.min(0.95, 0.5 + (shape - 0.85) * 0.25), box };
}

type FoundBox = Found['box'];

/** Coat and trousers are one: what stands above each other, close and upright together. */
function joined(boxes: readonly FoundBox[]): FoundBox[] {
  const list = [...boxes];
  for (let i = 0; i < list.length; i++) {
    for (let k = list.length - 1; k > i; k--) {
      const [[ax, ay, aw, ah], [bx, by, bw, bh]] = [list[i], list[k]];
      const common = Math.min(ax + aw, bx + bw) - Math.max(ax, bx);
      const gap = Math.max(ay, by) - Math.min(ay + ah, by + bh);
      const [left, top] = [Math.min(ax, bx), Math.min(ay, by)];
      const both = [left, top, Math.max(ax + aw, bx + bw) - left, Math.max(ay + ah, by + bh) - top] as const;
      if (common < Math.min(aw, bw) * 0.5 || gap > 0.08 || both[3] > 0.38 || both[2] * 16 > both[3] * 9 * 0.85) continue;
      list[i] = both;
      list.splice(k, 1);
      k = list.length;
    }
  }
  return list;
}

/** What hangs together: its box and where its cells are. */
interface Component {
  readonly box: FoundBox;
  readonly places: readonly number[];
}

/** Whether something stood there when the view was first seen and is gone: then the edges are those of the usual picture, not of this one. */
function isGone({ places }: Component, cells: Float32Array, { usual, still, width }: View): boolean {
  if (places.filter((i) => still[i] >= stillFor).length < places.length * 0.8) return false;
  const own = new Set(places);
  let [now, before] = [0, 0];
  for (const i of places) {
    for (const step of [-2, 2, -2 * width, 2 * width]) {
      const k = i + step;
      if (own.has(k) || k < 0 || k >= cells.length) continue;
      now += Math.abs(cells[i] - cells[k]);
      before += Math.abs(usual[i] - usual[k]);
    }
  }
  return now < before * 0.6;
}

/** All that hangs together, a cell apart counted as together. */
function components(mask: Float32Array, width: number, height: number): Component[] {
  const seen = new Uint8Array(mask.length);
  const found: Component[] = [];
  for (let start = 0; start < mask.length; start++) {
    if (!mask[start] || seen[start]) continue;
    let [left, top, right, foot, count] = [width, height, 0, 0, 0];
    const stack = [start];
    const places = [start];
    seen[start] = 1;
    for (let i = stack.pop(); i !== undefined; i = stack.pop()) {
      const [x, y] = [i % width, Math.floor(i / width)];
      [left, top, right, foot, count] = [Math.min(left, x), Math.min(top, y), Math.max(right, x), Math.max(foot, y), count + 1];
      for (let dy = -2; dy <= 2; dy++) {
        for (let dx = -2; dx <= 2; dx++) {
          const [nx, ny] = [x + dx, y + dy];
          if (nx < 0 || ny < 0 || nx >= width || ny >= height) continue;
          const k = ny * width + nx;
          if (!mask[k] || seen[k]) continue;
          seen[k] = 1;
          stack.push(k);
          places.push(k);
        }
      }
    }
    if (count < leastCells) continue;
    found.push({ box: [left / width, top / height, (right - left + 1) / width, (foot - top + 1) / height], places });
  }
  return found;
}

function json(response: ServerResponse, status: number, body: unknown): void {
  response.writeHead(status, { 'content-type': 'application/json' }).end(JSON.stringify(body));
}
