/** A picture as it arrived, undecoded. */
export interface KeptPicture {
  readonly jpeg: Buffer;
  readonly at: number;
}

/** The pictures of the last seconds, bounded in time and bytes. */
export class PictureRing {
  private pictures: KeptPicture[] = [];
  private bytes = 0;
  private readonly keepMs: number;
  private readonly mostBytes: number;

  constructor(keepMs = 10_000, mostBytes = 16 * 1024 * 1024) {
    this.keepMs = keepMs;
    this.mostBytes = mostBytes;
  }

  push(picture: KeptPicture): void {
    this.pictures.push(picture);
    this.bytes += picture.jpeg.length;
    while (this.pictures.length > 1 && (picture.at - this.pictures[0].at > this.keepMs || this.bytes > this.mostBytes))
      this.bytes -= this.pictures.shift()?.jpeg.length ?? 0;
  }

  /** The picture nearest to a time, unless the nearest is further away than `withinMs`. */
  nearest(at: number, withinMs: number): KeptPicture | undefined {
    let best: KeptPicture | undefined;
    for (const picture of this.pictures) if (!best || Math.abs(picture.at - at) < Math.abs(best.at - at)) best = picture;
    return best && Math.abs(best.at - at) <= withinMs ? best : undefined;
  }
}
