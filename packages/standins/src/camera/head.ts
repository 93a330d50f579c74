import type { Head, HeadPosition } from './onvif-parts.js';

/** How fast it turns: shares of its whole way a second. */
const aSecond = 0.8;
const home: HeadPosition = { pan: 0, tilt: 0, zoom: 0 };
/** How much of the place it sees, widest and closest. */
const widest = 0.7;
const closest = 0.35;

/** A head that takes its time to turn; it looks at a part of what stands before it. */
export class SteeredHead implements Head {
  private from = home;
  private target = home;
  private speed: HeadPosition | undefined;
  private since = Date.now();

  position(): HeadPosition {
    const seconds = (Date.now() - this.since) / 1000;
    const { from, target, speed } = this;
    const step = (a: number, b: number, v: number | undefined, low: number) => {
      if (v !== undefined) return Math.max(low, Math.min(1, a + v * aSecond * seconds));
      const way = b - a;
      return a + Math.sign(way) * Math.min(Math.abs(way), aSecond * seconds);
    };
    return {
      pan: step(from.pan, target.pan, speed?.pan, -1),
      tilt: step(from.tilt, target.tilt, speed?.tilt, -1),
      zoom: step(from.zoom, target.zoom, speed?.zoom, 0),
    };
  }

  isMoving(): boolean {
    const { pan, tilt, zoom } = this.position();
    const { target } = this;
    return this.speed ? true : Math.abs(pan - target.pan) + Math.abs(tilt - target.tilt) + Math.abs(zoom - target.zoom) > 1e-6;
  }

  goTo(position: HeadPosition): void {
    this.begin();
    this.target = position;
  }

  move(speed: HeadPosition): void {
    this.begin();
    this.speed = speed;
  }

  stop(): void {
    this.begin();
    this.target = this.from;
  }

  /** The part of a picture that it looks at, in the same size. */
  look(rgb: Buffer, width: number, height: number): Buffer {
    const { pan, tilt, zoom } = this.position();
    const part = widest + (closest - widest) * zoom;
    const [left, top] = [((pan + 1) / 2) * (1 - part), ((tilt + 1) / 2) * (1 - part)];
    const out = Buffer.allocUnsafe(rgb.length);
    for (let y = 0; y < height; y++) {
      const row = Math.floor((top + (y / height) * part) * height) * width;
      for (let x = 0; x < width; x++) {
        const i = (row + Math.floor((left + (x / width) * part) * width)) * 3;
        const o = (y * width + x) * 3;
        out[o] = rgb[i];
        out[o + 1] = rgb[i + 1];
        out[o + 2] = rgb[i + 2];
      }
    }
    return out;
  }

  private begin(): void {
    this.from = this.position();
    this.since = Date.now();
    this.speed = undefined;
  }
}
