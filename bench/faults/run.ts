import { readdirSync, readFileSync } from 'node:fs';
import { OneService } from '../one-service.js';
import { withDatabase } from '../sql.js';
import { type Fault, planOf } from './plan.js';
import { FaultSite, site } from './site.js';

/** What a run of faults came to. */
export interface FaultReport {
  readonly seed: number;
  readonly firings: number;
  readonly planned: Record<string, number>;
  readonly kills: { readonly service: number; readonly watcher: number; readonly database: number };
  /** Accepted and not found, ended without having arrived, or said to have arrived and not received. */
  readonly lost: number;
  /** Received more than once without the same key. */
  readonly repeats: number;
  /** Received more than once with the same key, so that the receiver can tell. */
  readonly marked: number;
  /** Deliveries by their final state. */
  readonly states: Record<string, number>;
  readonly open: number;
  readonly lampOff: boolean;
  readonly refused: number;
  readonly seconds: number;
}

/** As many senders ask at once. */
const senders = 16;
/** The clock is moved on by this much at a time until everything has ended. */
const stepMs = 5 * 60_000;
const mostSteps = 1_500;

const pause = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

/** Runs so many firings while what the seed says goes wrong, and counts what became of them. */
export async function runFaults(seed: number, firings: number): Promise<FaultReport> {
  const began = performance.now();
  const plan = planOf(seed, firings);
  const service = await OneService.start();
  const around = await FaultSite.open(service, firings * 3);
  const kills = { service: 0, watcher: 0, database: 0 };
  const pending = new Set<Promise<void>>();
  let refused = 0;
  let asked = 0;
  let next = 0;
  let bringingUp: Promise<void> = Promise.resolve();

  /** One kill after the other: what is killed is brought back before the next. */
  const inTurn = (job: () => Promise<void>) => {
    bringingUp = bringingUp.then(job).catch((error: unknown) => {
      process.stderr.write(`${(error as Error).message}\n`);
    });
    return bringingUp;
  };
  const bringUp = async () => {
    for (;;) {
      try {
        await service.up();
        return;
      } catch {
        // The database may be away at that moment.
        await pause(200);
      }
    }
  };
  const doing: { readonly [K in Fault['kind']]: (fault: Extract<Fault, { kind: K }>) => Promise<void> } = {
    service: () =>
      inTurn(async () => {
        await service.kill();
        kills.service++;
        await bringUp();
      }),
    'service-at': ({ moment }) =>
      inTurn(async () => {
        const gone = service.gone().then(() => true);
        service.tell({ kind: 'end-at', moment });
        // Some moments wait for a clock: what does not come soon is a plain kill.
        if (!(await Promise.race([gone, pause(1_000).then(() => false)]))) await service.kill();
        kills.service++;
        await bringUp();
      }),
    watcher: async () => {
      for (const pid of childrenOf(service.pid)) {
        process.kill(pid, 'SIGKILL');
        kills.watcher++;
      }
    },
    database: ({ awayMs }) =>
      inTurn(async () => {
        await service.killDatabase(awayMs);
        kills.database++;
      }),
    'desk-refuses': async ({ times }) => {
      around.calls.nextStatus.push(...Array.from({ length: times }, () => 503));
    },
    'desk-cuts': async ({ times }) => {
      around.calls.cutNext += times;
    },
    'mailbox-away': async ({ until }) => {
      if (!around.mailbox) return;
      await around.closeMailbox();
      later.push({ at: until, does: () => around.openMailbox() });
    },
    'lamp-away': async ({ until }) => {
      if (!around.lamp) return;
      await around.closeLamp();
      later.push({ at: until, does: () => around.openLamp() });
    },
  };
  const later: { at: number; does: () => Promise<void> }[] = [];
  const goWrong = () => {
    while (plan[next] && plan[next].at <= asked) {
      const fault = plan[next++];
      const done = (doing[fault.kind] as (fault: Fault) => Promise<void>)(fault);
      pending.add(done);
      void done.finally(() => pending.delete(done));
    }
    for (const due of later.filter(({ at }) => at <= asked)) {
      later.splice(later.indexOf(due), 1);
      pending.add(due.does());
    }
  };

  try {
    const ids = new Map<number, string>();
    const send = async (n: number): Promise<void> => {
      const body = {
        specversion: '1.0',
        id: `visit-${n}`,
        source: 'faults',
        type: 'hook.called',
        subject: 'hooks/face-desk',
        data: { who: `visitor ${n}`, ...(n % 20 === 0 ? { label: 'light' } : {}) },
      };
      for (;;) {
        try {
          const { items } = await service.client.call('sendEvents', { params: { site }, body: body as never });
          ids.set(n, items[0].id);
          return;
        } catch {
          refused++;
          await pause(50);
        }
      }
    };
    const one = async (): Promise<void> => {
      while (asked < firings) {
        const n = asked++;
        goWrong();
        await send(n);
      }
    };
    await Promise.all(Array.from({ length: senders }, one));
    asked = Number.POSITIVE_INFINITY;
    goWrong();
    await Promise.all([...pending, bringingUp]);
    around.calls.nextStatus.length = 0;
    around.calls.cutNext = 0;
    if (!around.mailbox) await around.openMailbox();
    if (!around.lamp) await around.openLamp();
    const open = await untilEnded(service);
    return {
      ...(await count(service, around, ids)),
      seed,
      firings,
      planned: tally(plan.map(({ kind }) => kind)),
      kills,
      open,
      refused,
      seconds: Math.round((performance.now() - began) / 1000),
    };
  } finally {
    await around.close();
    await service.remove();
  }
}

/** Moves the clock on, bit by bit, until no delivery is open and no claim holds; how many are still open at the end. */
async function untilEnded(service: OneService): Promise<number> {
  let open = -1;
  for (let step = 0; step < mostSteps; step++) {
    const before = open;
    open = await withDatabase(service.database.url, async (connection) => {
      const [row] = await connection.query(
        `SELECT (SELECT COUNT(*) FROM deliveries WHERE state IN ('waiting', 'sending', 'retrying'))
              + (SELECT COUNT(*) FROM state WHERE name LIKE 'timer/%' OR name LIKE 'firing/%') AS open`,
      );
      return row.open as number;
    });
    if (open === 0) return 0;
    // While it goes down by itself it is left alone.
    if (before >= 0 && open >= before) service.after(stepMs);
    await pause(200);
  }
  return open;
}

async function count(service: OneService, around: FaultSite, ids: ReadonlyMap<number, string>) {
  return await withDatabase(service.database.url, async (connection) => {
    const events: { id: string }[] = await connection.query("SELECT LOWER(HEX(id)) AS id FROM events WHERE kind = 'hook.called'");
    const deliveries: { id: string; firing: string; action: string; back: number; state: string; verb: string }[] = await connection.query(
      'SELECT LOWER(HEX(id)) AS id, LOWER(HEX(firing)) AS firing, action, back, state FROM deliveries',
    );
    const known = new Set(events.map(({ id }) => id));
    const missing = [...ids.values()].filter((id) => !known.has(id.replaceAll('-', ''))).length;
    const received = new Map([...around.received()].map(([key, times]) => [key.replaceAll('-', ''), times]));
    // A command whose place a later one took is not sent any more: that is no loss.
    const replaced: { id: string }[] = await connection.query("SELECT LOWER(HEX(delivery)) AS id FROM attempts WHERE code = 'superseded'");
    const over = new Set(replaced.map(({ id }) => id));
    const notArrived = deliveries.filter(({ id, state }) => !over.has(id) && (state !== 'delivered' || !received.has(id)));
    // A firing's action has one delivery for each recipient, and here each has one: another one is a repeat under another key.
    const places = tally(deliveries.map(({ firing, action, back }) => `${firing} ${action} ${back}`));
    const twice = Object.values(places).reduce((sum, times) => sum + times - 1, 0);
    const own = new Set(deliveries.map(({ id }) => id));
    const strangers = [...received.keys()].filter((key) => !own.has(key)).length;
    const expected = [...ids.keys()].reduce((sum, n) => sum + (n % 20 === 0 ? 3 : 2), 0);
    const there = deliveries.filter(({ back }) => !back).length;
    return {
      lost: missing + Math.max(0, expected - there) + notArrived.length,
      repeats: twice + strangers + Math.max(0, events.length - ids.size),
      marked: [...received.values()].reduce((sum, times) => sum + times - 1, 0),
      states: tally(deliveries.map(({ state }) => state)),
      lampOff: around.lamp?.power === false,
    };
  });
}

const tally = (names: readonly string[]): Record<string, number> => {
  const counts: Record<string, number> = {};
  for (const name of names) counts[name] = (counts[name] ?? 0) + 1;
  return counts;
};

/** The processes that a process has forked. */
function childrenOf(parent: number): number[] {
  return readdirSync('/proc')
    .filter((name) => /^\d+$/.test(name))
    .flatMap((name) => {
      try {
        return Number(/PPid:\s+(\d+)/.exec(readFileSync(`/proc/${name}/status`, 'utf8'))?.[1]) === parent ? [Number(name)] : [];
      } catch {
        return [];
      }
    });
}

export function showFaults(report: FaultReport): string {
  const list = (counts: object) =>
    Object.entries(counts)
      .map(([name, n]) => `${n} ${name}`)
      .join(', ');
  return [
    `seed ${report.seed}, ${report.firings} firings, ${report.seconds} s`,
    `  planned   ${list(report.planned)}`,
    `  kills     ${list(report.kills)}; ${report.refused} requests were refused and sent again`,
    `  states    ${list(report.states)}; ${report.open} still open; the lamp is ${report.lampOff ? 'off' : 'ON'}`,
    `  received more than once under one key: ${report.marked}`,
    `  lost ${report.lost}, repeats ${report.repeats}`,
  ].join('\n');
}
