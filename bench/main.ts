import { type Figure, machine, show } from './figure.js';
import { laws } from './laws.js';
import { running } from './running.js';
import { sizes } from './size.js';
import { stepping } from './step.js';
import { vision } from './vision.js';

const benches: Record<string, () => Figure[] | Promise<Figure[]>> = { vision, step: stepping, size: sizes, running, laws };

const wanted = process.argv.slice(2).filter((word) => word !== '--json');
const unknown = wanted.filter((name) => !(name in benches));
if (unknown.length > 0) {
  process.stderr.write(`There is no bench ${unknown.join(', ')}. Known: ${Object.keys(benches).join(', ')}.\n`);
  process.exit(2);
}
const figures: Figure[] = [];
for (const [name, run] of Object.entries(benches)) if (wanted.length === 0 || wanted.includes(name)) figures.push(...(await run()));
process.stdout.write(
  process.argv.includes('--json')
    ? `${JSON.stringify({ machine: machine(), figures }, null, 2)}\n`
    : `${machine()}\n${figures.map(show).join('\n')}\n`,
);
