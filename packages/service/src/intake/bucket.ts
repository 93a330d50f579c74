/** How much a source may report: so many a second, and so many more at once. */
export interface Allowance {
  readonly aSecond: number;
  readonly atOnce: number;
}

/** What has happened at a source that reported too much. */
export interface Flood {
  readonly source: string;
  readonly count: number;
  readonly lastedMs: number;
}

interface Bucket {
  left: number;
  at: number;
  refused: number;
  since: number;
}

/** A flood is told after this long, whole: not with every arrival that is refused. */
export const floodMs = 60_000;

/**
 * A bucket for each source, filled steadily and emptied by what it reports (token bucket, RFC 2697 §3 in its simplest
 * form). Times: steady ms, handed in.
 */
export class Buckets {
  private readonly allowance: Allowance;
  private readonly buckets = new Map<string, Bucket>();

  constructor(allowance: Allowance) {
    this.allowance = allowance;
  }

  /** Whether a source may report now. What it may not is counted; true in `begins` for the first of a flood. */
  take(source: string, now: number): { readonly passes: boolean; readonly begins: boolean } {
    const { aSecond, atOnce } = this.allowance;
    const bucket = this.buckets.get(source) ?? { left: atOnce, at: now, refused: 0, since: 0 };
    this.buckets.set(source, bucket);
    bucket.left = Math.min(atOnce, bucket.left + ((now - bucket.at) / 1000) * aSecond);
    bucket.at = now;
    if (bucket.left >= 1) {
      bucket.left--;
      return { passes: true, begins: false };
    }
    const begins = bucket.refused === 0;
    if (begins) bucket.since = now;
    bucket.refused++;
    return { passes: false, begins };
  }

  /** Ends the count of a source's flood, and says what it was. */
  end(source: string, now: number): Flood | undefined {
    const bucket = this.buckets.get(source);
    if (!bucket || bucket.refused === 0) return undefined;
    const flood = { source, count: bucket.refused, lastedMs: now - bucket.since };
    bucket.refused = 0;
    return flood;
  }

  /** Sources that a document has no more are forgotten. */
  only(sources: ReadonlySet<string>): void {
    for (const source of this.buckets.keys()) if (!sources.has(source)) this.buckets.delete(source);
  }
}
