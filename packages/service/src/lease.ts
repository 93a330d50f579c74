import { readFile, readlink } from 'node:fs/promises';
import { hostname } from 'node:os';
import type { Database } from './ledger/database.js';
import { endLease, type Held, type Holder, renewLease, takeLease } from './ledger/leases.js';

/** A lease is renewed this many times before it would run out. */
const renewals = 3;

/**
 * A site's lease, kept by this process: one engine a site, whatever goes wrong. It runs on the machine's own steady
 * time, which goes on while the process is stopped: one that wakes too late knows it before it sends anything, and
 * the ledger refuses what it would write.
 */
export class Lease {
  readonly held: Held;
  private readonly database: Database;
  private readonly ms: number;
  private readonly lost: () => void;
  private until: number;
  private timer: NodeJS.Timeout | undefined;
  private over = false;
  private waiting: ((holds: boolean) => void)[] = [];

  private constructor(database: Database, held: Held, ms: number, taken: number, lost: () => void) {
    this.database = database;
    this.held = held;
    this.ms = ms;
    this.until = taken + ms;
    this.lost = lost;
    this.again();
  }

  /** Takes a site's lease, or says who has it. `lost` is called once when another has taken it. */
  static async take(
    database: Database,
    site: number,
    holder: Holder,
    ms: number,
    lost: () => void,
  ): Promise<{ lease: Lease; number: number; awayMs: number | undefined } | { by: Holder }> {
    const asked = performance.now();
    const taken = await takeLease(database, site, holder, ms, isGone);
    if ('by' in taken) return taken;
    const { held, ...rest } = taken;
    return { lease: new Lease(database, held, ms, asked, lost), ...rest };
  }

  /** It has ended, or another has taken it. */
  get isOver(): boolean {
    return this.over;
  }

  /** Resolves at once while the lease is held; otherwise as soon as it is known whether it still is. */
  holds(): Promise<boolean> {
    if (this.over) return Promise.resolve(false);
    if (performance.now() < this.until) return Promise.resolve(true);
    return new Promise((resolve) => {
      this.waiting.push(resolve);
    });
  }

  /** The ledger has refused a write: another works for the site. */
  lose(): void {
    if (this.over) return;
    this.stop();
    this.lost();
  }

  /** Lets the next one have it at once. */
  async end(): Promise<void> {
    if (this.over) return;
    this.stop();
    await endLease(this.database, this.held);
  }

  private stop(): void {
    this.over = true;
    clearTimeout(this.timer);
    this.answer(false);
  }

  private answer(holds: boolean): void {
    for (const resolve of this.waiting.splice(0)) resolve(holds);
  }

  private again(): void {
    if (this.over) return;
    this.timer = setTimeout(() => void this.renew(), this.ms / renewals);
    this.timer.unref();
  }

  private async renew(): Promise<void> {
    const asked = performance.now();
    // A ledger that is away takes no lease from us: nobody else can take it either.
    const held = await renewLease(this.database, this.held, this.ms).catch(() => undefined);
    if (this.over) return;
    if (held === false) {
      this.lose();
      return;
    }
    if (held) {
      this.until = asked + this.ms;
      this.answer(true);
    }
    this.again();
  }
}

/** Field 22 of /proc/PID/stat: when a process began, in ticks since the machine did (proc(5)). */
async function beganAt(pid: number): Promise<string | undefined> {
  const stat = await readFile(`/proc/${pid}/stat`, 'utf8').catch(() => undefined);
  const fields = stat?.slice(stat.lastIndexOf(')') + 2).split(' ');
  // Ended, and not yet taken note of by its parent.
  return fields?.[0] === 'Z' ? undefined : fields?.[19];
}

/** This run of the machine, and the space in which its process numbers count. */
async function machineName(): Promise<string> {
  const boot = await readFile('/proc/sys/kernel/random/boot_id', 'utf8').catch(() => hostname());
  const space = await readlink('/proc/self/ns/pid').catch(() => '');
  return `${boot.trim()} ${space}`;
}

/** Who this process is to others. */
export async function thisProcess(id: string, url: string): Promise<Holder> {
  return { process: id, machine: await machineName(), pid: process.pid, began: (await beganAt(process.pid)) ?? '', url };
}

/** True when a process of this machine is known to have ended; of another machine nothing is known. */
async function isGone(holder: Holder): Promise<boolean> {
  if (!holder.process || holder.machine !== (await machineName()) || holder.began === '') return false;
  return (await beganAt(holder.pid)) !== holder.began;
}
