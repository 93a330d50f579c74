import { type ChildProcess, spawn } from 'node:child_process';
import { mkdtempSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { CausalisClient } from '@causalis/client';
import { freePort } from '@causalis/start';

const start = fileURLToPath(new URL('../../packages/start/bin/start.mjs', import.meta.url));

/** The whole of Causalis on a data folder of its own, as `npm start` has it. */
export class AtWork {
  readonly home = mkdtempSync(path.join(tmpdir(), 'causalis-bench-'));
  private child: ChildProcess | undefined;
  private port = 0;

  /** Starts everything; resolves with the seconds until it was ready. */
  async up(): Promise<number> {
    this.port ||= await freePort();
    const began = performance.now();
    const child = spawn(process.execPath, [start], {
      env: { PATH: process.env.PATH, CAUSALIS_HOME: this.home, CAUSALIS_PORT: String(this.port), CAUSALIS_STANDINS: '37200' },
      stdio: ['ignore', 'pipe', 'inherit'],
    });
    this.child = child;
    await new Promise<void>((resolve, reject) => {
      child.stdout?.on('data', (text: Buffer) => text.includes('Ready after') && resolve());
      child.once('exit', () => reject(new Error('it did not start')));
    });
    return (performance.now() - began) / 1000;
  }

  get client(): CausalisClient {
    const { token } = JSON.parse(readFileSync(path.join(this.home, 'login.json'), 'utf8')) as { token: string };
    return new CausalisClient({ base: `http://127.0.0.1:${this.port}`, token });
  }

  /** Memory of the service's own processes, MB: the service and its watchers, without database and stand-ins. */
  memory(): number {
    let kb = 0;
    for (const pid of readdirSync('/proc').filter((name) => /^\d+$/.test(name))) {
      try {
        const command = readFileSync(`/proc/${pid}/cmdline`, 'utf8');
        const parents = [pid, parentOf(pid)].map((one) => Number(one));
        const ours = /service\/dist\/src\/(main|intake\/watcher\/main)\.js/.test(command);
        if (ours && (parents.includes(this.child?.pid ?? -1) || parentOf(parentOf(pid)) === String(this.child?.pid)))
          kb += Number(/VmRSS:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1] ?? 0);
      } catch {
        // It has ended meanwhile.
      }
    }
    return kb / 1024;
  }

  async down(): Promise<void> {
    const gone = new Promise((resolve) => this.child?.once('exit', resolve));
    this.child?.kill('SIGINT');
    await gone;
  }

  remove(): void {
    rmSync(this.home, { recursive: true, force: true });
  }
}

const parentOf = (pid: string): string => /PPid:\s+(\d+)/.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1] ?? '';
