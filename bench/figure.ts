import { cpus } from 'node:os';

/** One figure: what was measured, beside what, and what is aimed at. */
export interface Figure {
  readonly name: string;
  readonly ours: string;
  readonly beside: string;
  readonly ratio?: number;
  readonly aim: string;
  readonly met: boolean;
  readonly n: number;
}

export const median = (values: readonly number[]): number => [...values].sort((a, b) => a - b)[Math.floor(values.length / 2)];

/** Times two jobs in turn, so that a busy machine hits both: medians in ms, after `warmUp` rounds that do not count. */
export function timeBoth(n: number, ours: () => void, beside: () => void, warmUp = 3): { ours: number; beside: number } {
  const times = { ours: [] as number[], beside: [] as number[] };
  const time = (job: () => void) => {
    const began = performance.now();
    job();
    return performance.now() - began;
  };
  for (let i = 0; i < n + warmUp; i++) {
    const [a, b] = [time(ours), time(beside)];
    if (i >= warmUp) {
      times.ours.push(a);
      times.beside.push(b);
    }
  }
  return { ours: median(times.ours), beside: median(times.beside) };
}

export const machine = (): string => `${cpus().length} × ${cpus()[0]?.model ?? 'unknown'}, Node ${process.version}`;

export function show(figure: Figure): string {
  const ratio = figure.ratio === undefined ? '' : `, ratio ${figure.ratio.toFixed(2)}`;
  return `${figure.met ? 'met    ' : 'NOT MET'} ${figure.name}: ${figure.ours} beside ${figure.beside}${ratio} (aim ${figure.aim}; n ${figure.n})`;
}
