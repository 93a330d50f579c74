import type { LiveFrame } from '@causalis/contract';

/** Somebody who looks at cameras. */
export interface Viewer {
  readonly cameras: ReadonlySet<string>;
  readonly show: (frame: LiveFrame, jpeg: Buffer) => void;
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
    for (const viewer of this.viewers) if (viewer.cameras.has(frame.camera)) viewer.show(frame, jpeg);
  }

  private tell(): void {
    this.viewedChanged([...new Set([...this.viewers].flatMap(({ cameras }) => [...cameras]))]);
  }
}
