import type { LiveFrame } from '@causalis/contract';

/** Somebody who looks at cameras. */
export interface Viewer {
  readonly cameras: ReadonlySet<string>;
  readonly show: (camera: string, message: Buffer) => void;
}

/** A header of JSON, its length before it in four bytes, and the picture: one message. */
function pack(frame: LiveFrame, jpeg: Buffer): Buffer {
  const head = Buffer.from(JSON.stringify(frame));
  const length = Buffer.alloc(4);
  length.writeUInt32BE(head.length);
  return Buffer.concat([length, head, jpeg]);
}

/** Who looks at which cameras now; tells the watchers, so that only those pictures are made. */
export class LiveHub {
  private readonly viewers = new Set<Viewer>();
  private readonly viewedChanged: (cameras: readonly string[]) => void;

  constructor(viewedChanged: (cameras: readonly string[]) => void) {
    this.viewedChanged = viewedChanged;
  }

  add(viewer: Viewer): () => void {
    this.viewers.add(viewer);
    this.tell();
    return () => {
      this.viewers.delete(viewer);
      this.tell();
    };
  }

  show(frame: LiveFrame, jpeg: Buffer): void {
    const { camera } = frame;
    const viewers = [...this.viewers].filter(({ cameras }) => cameras.has(camera));
    if (viewers.length === 0) return;
    // Packed once, however many look.
    const message = pack(frame, jpeg);
    for (const viewer of viewers) viewer.show(camera, message);
  }

  private tell(): void {
    this.viewedChanged([...new Set([...this.viewers].flatMap(({ cameras }) => [...cameras]))]);
  }
}
