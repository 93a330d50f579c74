// The first stage of every command: runs on a bare machine with Node and npm, before anything is installed.
import { spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { accessSync, constants, existsSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { delimiter, join } from 'node:path';
import { fileURLToPath } from 'node:url';

export const root = fileURLToPath(new URL('../../../', import.meta.url));
const modules = join(root, 'node_modules');

/** What is needed from Debian, by the command that shows that it is there. */
const forService = {
  mariadbd: 'mariadb-server-core',
  'mariadb-install-db': 'mariadb-server-core',
  mariadb: 'mariadb-client-core',
  ffmpeg: 'ffmpeg',
};
const forTests = { ...forService, chromium: 'chromium', '/usr/share/fonts/truetype/dejavu/DejaVuSans.ttf': 'fonts-dejavu-core' };

const say = (text) => process.stdout.write(`${text}\n`);

function stop(text) {
  process.stderr.write(`${text}\n`);
  process.exit(1);
}

/** Programs for administrators lie outside of the path of ordinary users. */
function isThere(command) {
  if (command.startsWith('/')) return existsSync(command);
  return [...(process.env.PATH ?? '').split(delimiter), '/usr/sbin', '/usr/local/sbin'].some((folder) => {
    try {
      accessSync(join(folder, command), constants.X_OK);
      return true;
    } catch {
      return false;
    }
  });
}

function run(command, args, options = {}) {
  const { status, error } = spawnSync(command, args, { cwd: root, stdio: 'inherit', ...options });
  if (error) stop(`${command} could not be run: ${error.message}`);
  return status === 0;
}

/** Installs what is missing from Debian's packages; without the right to do so it says the one command. */
export function ensurePackages(wanted) {
  const missing = [...new Set(Object.entries(wanted).flatMap(([command, name]) => (isThere(command) ? [] : [name])))];
  if (missing.length === 0) return;
  const install = ['apt-get', 'install', '-y', '--no-install-recommends', ...missing];
  const command = `apt-get update && ${install.join(' ')}`;
  const asRoot = process.getuid?.() === 0;
  const sudo = !asRoot && spawnSync('sudo', ['-n', 'true'], { stdio: 'ignore' }).status === 0;
  if (!asRoot && !sudo)
    stop(
      `Missing: ${missing.join(', ')}. This user may not install them. Run once as an administrator:\n\n  sudo sh -c "${command}"\n\nthen start again.`,
    );
  if (!isThere('apt-get'))
    stop(`Missing: ${missing.join(', ')}. This machine has no apt-get: install them in its own way, then start again.`);
  say(`Installing from Debian's packages: ${missing.join(', ')}`);
  const quiet = { stdio: ['ignore', 'ignore', 'inherit'], env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' } };
  const call = (args) =>
    asRoot ? run(args[0], args.slice(1), quiet) : run('sudo', ['-n', 'env', 'DEBIAN_FRONTEND=noninteractive', ...args], quiet);
  call(['apt-get', 'update', '-qq']);
  if (!call([...install.slice(0, 2), '-qq', ...install.slice(2)]))
    stop(`The packages could not be installed. Try by hand:\n\n  ${command}`);
}

const hash = (text) => createHash('sha256').update(text).digest('hex');
const stampIs = (file, stamp) => existsSync(file) && readFileSync(file, 'utf8') === stamp;

/**
 * Installs the npm packages of the lock file, when they are not there yet. Not `npm ci`: it refuses a lock that lacks
 * the builds of a tool for other platforms, and a registry may not have them all.
 */
export function ensureModules() {
  const stamp = () => hash(readFileSync(join(root, 'package-lock.json')));
  const file = join(modules, '.causalis-installed');
  if (stampIs(file, stamp())) return;
  say('Installing npm packages');
  if (!run('npm', ['install', '--no-audit', '--no-fund', '--loglevel=error'])) stop('npm install failed; see above.');
  writeFileSync(file, stamp());
}

/** Every source with its size and time: when none has changed, nothing is built. */
function sources(folder, list = []) {
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    if (['node_modules', 'dist', '.git', '.causalis'].includes(entry.name)) continue;
    const path = join(folder, entry.name);
    if (entry.isDirectory()) sources(path, list);
    else if (/\.(ts|vue|json|html|css|mjs|svg)$/.test(entry.name)) list.push(`${path} ${statSync(path).size} ${statSync(path).mtimeMs}`);
  }
  return list;
}

export const bin = (name) => join(modules, '.bin', name);

/** AssemblyScript and the WebAssembly that it becomes, of a few kB each. */
const assembled = [
  ['packages/core/assembly/kernel.ts', 'packages/core/dist/kernel.wasm'],
  ['packages/standins/assembly/sensor.ts', 'packages/standins/dist/sensor.wasm'],
];

/** Builds everything, when a source has changed since. */
export function ensureBuilt() {
  const stamp = hash(sources(root).join('\n'));
  const file = join(modules, '.causalis-built');
  if (
    stampIs(file, stamp) &&
    existsSync(join(root, 'packages/service/dist/src/main.js')) &&
    assembled.every(([, target]) => existsSync(join(root, target))) &&
    existsSync(join(root, 'packages/console/dist/index.html'))
  )
    return;
  say('Building');
  if (!run(bin('tsc'), ['-b'])) stop('The build failed; see above.');
  for (const [source, target] of assembled)
    if (!run(bin('asc'), [source, '-o', target, '--enable', 'simd', '-O3', '--runtime', 'stub', '--noAssert']))
      stop(`${source} could not be built; see above.`);
  if (!run(bin('vite'), ['build', '--logLevel', 'warn'], { cwd: join(root, 'packages/console') }))
    stop('The console could not be built; see above.');
  writeFileSync(file, stamp);
}

/** Makes a bare machine ready. */
export function setUp({ tests = false } = {}) {
  const [major, minor] = process.versions.node.split('.').map(Number);
  if (major < 20 || (major === 20 && minor < 19)) stop(`Causalis needs Node 20.19 or newer; this is ${process.version}.`);
  ensurePackages(tests ? forTests : forService);
  ensureModules();
  ensureBuilt();
}
