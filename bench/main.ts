import { cameras } from './cameras/cameras.js';
import { planOf } from './faults/plan.js';
import { runFaults, showFaults } from './faults/run.js';
import { type Figure, machine, show } from './figure.js';
import { frames } from './frames.js';
import { laws } from './laws.js';
import { running } from './running.js';
import { sizes } from './size.js';
import { stepping } from './step.js';
import { counts, labels } from './truth/counts.js';
import { truth } from './truth/truth.js';
import { vision } from './vision.js';
import { pages, way } from './way/way.js';

const benches: Record<string, () => Figure[] | Promise<Figure[]>> = {
  vision,
  step: stepping,
  size: sizes,
  running,
  cameras,
  way,
  pages: () => pages(process.argv.includes('--long')),
  laws,
  counts: async () => [...(await counts(numberOf('visitors', 200))), ...(await labels(numberOf('minutes', 6)))],
  // An hour on two cores: asked for by name, and shorter with --passages N --hours N.
  truth: () => truth(numberOf('passages', 300), numberOf('hours', process.argv.includes('--long') ? 24 : 6)),
};
const onlyByName = ['truth'];

function numberOf(name: string, usual: number): number {
  const at = process.argv.indexOf(`--${name}`);
  const value = at < 0 ? usual : Number(process.argv[at + 1]);
  return value > 0 ? value : usual;
}

/** `faults` is no figure but a trial: it runs alone, with a seed. */
if (process.argv[2] === 'faults') {
  const option = (name: string, usual: number) => {
    const at = process.argv.indexOf(`--${name}`);
    return at < 0 ? usual : Number(process.argv[at + 1]);
  };
  const seed = option('seed', Math.floor(Math.random() * 1_000_000));
  const firings = option('firings', 1_000);
  if (!Number.isInteger(seed) || !Number.isInteger(firings) || firings < 1) {
    process.stderr.write('Say it so: npm run bench -- faults --seed 7 --firings 10000\n');
    process.exit(2);
  }
  if (process.argv.includes('--plan')) {
    process.stdout.write(`${JSON.stringify(planOf(seed, firings), null, 1)}\n`);
    process.exit(0);
  }
  if (!process.argv.includes('--json')) process.stdout.write(`seed ${seed}\n`);
  const report = await runFaults(seed, firings);
  process.stdout.write(process.argv.includes('--json') ? `${JSON.stringify(report, null, 2)}\n` : `${showFaults(report)}\n`);
  process.exit(report.lost === 0 && report.repeats === 0 && report.open === 0 && report.lampOff ? 0 : 1);
}

if (process.argv[2] === 'vision' && process.argv.includes('--frames')) {
  const found = await frames(process.argv.slice(3));
  if ('wrong' in found) {
    process.stderr.write(
      `${found.wrong}. Say it so: npm run bench -- vision --frames pictures --fps 10 --zone "0,0.5 1,0.5 1,1 0,1" --json\n`,
    );
    process.exit(2);
  }
  const { events, msPerFrame } = found.report;
  const lines = events.map(({ first, last }) => `frames ${first} to ${last}`);
  process.stdout.write(
    process.argv.includes('--json')
      ? `${JSON.stringify(found.report)}\n`
      : `${lines.length === 0 ? 'no events' : lines.join('\n')}\ndecode ${msPerFrame.decode} ms, detect ${msPerFrame.detect} ms a frame (medians)\n`,
  );
  process.exit(0);
}

const wanted = process.argv
  .slice(2)
  .filter((word, i, all) => !word.startsWith('--') && !/^--(passages|hours|visitors|minutes)$/.test(all[i - 1] ?? ''));
const unknown = wanted.filter((name) => !(name in benches));
if (unknown.length > 0) {
  process.stderr.write(`There is no bench ${unknown.join(', ')}. Known: ${Object.keys(benches).join(', ')}.\n`);
  process.exit(2);
}
const figures: Figure[] = [];
for (const [name, run] of Object.entries(benches))
  if (wanted.length === 0 ? !onlyByName.includes(name) : wanted.includes(name)) figures.push(...(await run()));
process.stdout.write(
  process.argv.includes('--json')
    ? `${JSON.stringify({ machine: machine(), figures }, null, 2)}\n`
    : `${machine()}\n${figures.map(show).join('\n')}\n`,
);
