import { dropDays } from '@causalis/service';
import { type Figure, median } from '../figure.js';
import { OneService } from '../one-service.js';
import { withDatabase } from '../sql.js';
import { commitFloor, EmptyServer, rateOf, share } from './floors.js';
import { fillLedger, fillQueue, prepareOldDays } from './ledger.js';
import { Receiver } from './receiver.js';
import { putSite, Senders, site } from './site.js';

const senders = 64;
const windowMs = 4_000;
const waiting = 100_000;
const ms = (value: number) => `${value < 10 ? value.toFixed(2) : value.toFixed(0)} ms`;
const aSecond = (rate: number) => `${rate < 100 ? rate.toFixed(1) : Math.round(rate)}/s`;

/** From a request's last byte to the call's first, ms: one after the other. */
async function callTimes(sending: Senders, receiver: Receiver, hook: 'routine' | 'urgent', n: number): Promise<number[]> {
  const times: number[] = [];
  for (let i = 0; i < n; i++) {
    const began = performance.now();
    const [event] = await sending.send(hook);
    times.push((await receiver.of(event)) - began);
  }
  return times;
}

/** The way through, from an event to a call: idle, under load, behind a long queue, and after a kill. */
export async function way(): Promise<Figure[]> {
  const receiver = await Receiver.open();
  const service = await OneService.start();
  const empty = await EmptyServer.open();
  try {
    await putSite(service, receiver.port);
    return await withDatabase(service.database.url, async (connection) => {
      const figures: Figure[] = [];
      const one = new Senders(service, 1);
      await callTimes(one, receiver, 'urgent', 100);
      const idle = await callTimes(one, receiver, 'urgent', 300);
      const [commit, trip] = [await commitFloor(connection), await empty.roundTrip()];
      figures.push({
        name: 'event’s request to call’s first byte, idle, p50',
        ours: ms(median(idle)),
        beside: `one commit ${ms(commit)} and one round trip ${ms(trip)}`,
        ratio: median(idle) / (commit + trip),
        aim: '≤ 4 ×',
        met: median(idle) <= 4 * (commit + trip),
        n: idle.length,
      });
      figures.push({
        name: 'the same, p99',
        ours: ms(share(idle, 0.99)),
        beside: `p50 ${ms(median(idle))}`,
        ratio: share(idle, 0.99) / median(idle),
        aim: '≤ 25 ms',
        met: share(idle, 0.99) <= 25,
        n: idle.length,
      });

      const many = new Senders(service, senders);
      await rateOf(senders, 1_000, async () => void (await many.send('quiet')));
      const single = await rateOf(senders, windowMs, async () => void (await many.send('quiet')));
      const bare = await empty.rate(senders, windowMs);
      figures.push({
        name: `events accepted, ${senders} senders, one each`,
        ours: aSecond(single),
        beside: `an empty POST ${aSecond(bare)}`,
        ratio: single / bare,
        aim: '≥ 0.4',
        met: single / bare >= 0.4,
        n: 1,
      });
      const batches = (await rateOf(4, windowMs, async () => void (await many.send('quiet', 100)))) * 100;
      const rows = await insertFloor(connection);
      figures.push({
        name: 'events accepted in batches of 100',
        ours: aSecond(batches),
        beside: `the driver inserting the same rows ${aSecond(rows)}`,
        ratio: batches / rows,
        aim: '≥ 0.25',
        met: batches / rows >= 0.25,
        n: 1,
      });

      const before = await callTimes(one, receiver, 'urgent', 200);
      await service.kill();
      await fillQueue(connection, waiting);
      receiver.count = 0;
      const ready = await service.up();
      const afterKill = new Senders(service, 1);
      const [first] = await callTimes(afterKill, receiver, 'urgent', 1);
      figures.push({
        name: `ready after SIGKILL with ${waiting} due`,
        ours: ms(ready),
        beside: `first urgent one sent ${ms(first)} later`,
        ratio: ready / first,
        aim: '≤ 5 s, and ≤ 1 s later',
        met: ready <= 5_000 && first <= 1_000,
        n: 1,
      });
      const began = performance.now();
      const counted = receiver.count;
      const behind = await callTimes(afterKill, receiver, 'urgent', 200);
      const left = Number((await connection.query('SELECT COUNT(*) AS n FROM queue'))[0].n);
      figures.push({
        name: `an urgent call behind ${waiting} routine ones, p99 (${left} left at the end)`,
        ours: ms(share(behind, 0.99)),
        beside: `with an empty queue ${ms(share(before, 0.99))}`,
        ratio: share(behind, 0.99) / share(before, 0.99),
        aim: '≤ 2 ×',
        met: share(behind, 0.99) <= 2 * share(before, 0.99),
        n: behind.length,
      });
      await receiver.has(counted + behind.length + 5_000);
      const rate = (receiver.count - counted) / ((performance.now() - began) / 1000);
      const claimed = await claimFloor(connection);
      figures.push({
        name: 'deliveries out of the queue',
        ours: aSecond(rate),
        beside: `bare claim and update ${aSecond(claimed)}`,
        ratio: rate / claimed,
        aim: '≥ 0.5',
        met: rate / claimed >= 0.5,
        n: receiver.count - counted,
      });
      await Promise.all([one.close(), many.close(), afterKill.close()]);
      return figures;
    });
  } finally {
    empty.close();
    await service.remove();
    await receiver.close();
  }
}

/** Rows of events a second as the driver alone inserts them, a hundred in a transaction. */
async function insertFloor(connection: import('mariadb').Connection): Promise<number> {
  await connection.query('CREATE TABLE floor_events LIKE events');
  await connection.query('CREATE TABLE floor_entries LIKE entries');
  const [names] = ['site, id, number, revision, kind, section, source, time, seen, accepted, data, verdicts, fired, depth, test'];
  const began = performance.now();
  let done = 0;
  const at = new Date();
  while (performance.now() - began < windowMs) {
    const events = Array.from({ length: 100 }, () => [
      1,
      Buffer.from(`${(done++).toString(16).padStart(32, '0')}`, 'hex'),
      done,
      1,
      'hook.called',
      'hooks',
      'quiet',
      at,
      at,
      at,
      '{}',
      '[]',
      0,
      0,
      0,
    ]);
    await connection.beginTransaction();
    await connection.batch(`INSERT INTO floor_events (${names}) VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?,?,?)`, events);
    await connection.batch(
      'INSERT INTO floor_entries (site, number, kind, wall, steady, body) VALUES (?,?,?,?,?,?)',
      events.map((row) => [
        1,
        row[2],
        'event',
        at,
        at,
        JSON.stringify({
          kind: 'event',
          event: {
            id: 'x'.repeat(36),
            kind: 'hook.called',
            section: 'hooks',
            source: 'quiet',
            time: 1,
            seen: 1,
            data: {},
            depth: 0,
            test: false,
          },
        }),
      ]),
    );
    await connection.commit();
  }
  return done / ((performance.now() - began) / 1000);
}

/** Rows a second that are claimed, fifty at once, and written as done: without anything in between. */
async function claimFloor(connection: import('mariadb').Connection): Promise<number> {
  await connection.query(
    'CREATE TABLE floor_queue (id INT PRIMARY KEY, lane TINYINT NOT NULL, due DATETIME(3) NULL, state VARCHAR(10) NOT NULL, KEY (lane, due)) ENGINE=InnoDB',
  );
  await connection.query("INSERT INTO floor_queue SELECT seq, 2, NOW(3), 'waiting' FROM seq_1_to_50000");
  await connection.query('SET SESSION TRANSACTION ISOLATION LEVEL READ COMMITTED');
  const began = performance.now();
  let done = 0;
  while (performance.now() - began < windowMs && done < 50_000) {
    await connection.beginTransaction();
    const rows: { id: number }[] = await connection.query(
      'SELECT id FROM floor_queue WHERE lane = 2 AND due <= NOW(3) ORDER BY lane, due LIMIT 50 FOR UPDATE',
    );
    const ids = rows.map(({ id }) => id);
    await connection.query("UPDATE floor_queue SET state = 'sending', due = NULL WHERE id IN (?)", [ids]);
    await connection.commit();
    await connection.query("UPDATE floor_queue SET state = 'delivered' WHERE id IN (?)", [ids]);
    done += ids.length;
  }
  return done / ((performance.now() - began) / 1000);
}

/** A large ledger: pages of it by every filter and pair, and dropping a day of it. */
export async function pages(long: boolean): Promise<Figure[]> {
  const [events, days] = long ? [10_000_000, 10] : [1_000_000, 1];
  const receiver = await Receiver.open();
  const service = await OneService.prepared((url) => prepareOldDays(url, days + 1));
  try {
    await putSite(service, receiver.port);
    return await withDatabase(service.database.url, async (connection) => {
      const filling = performance.now();
      await fillLedger(connection, events, days);
      const filled = (performance.now() - filling) / 1000;
      process.stderr.write(`a ledger of ${events} events made in ${filled.toFixed(0)} s\n`);
      const { client } = service;
      const day = 86_400_000;
      const start = Math.floor(Date.now() / day) * day - days * day;
      const moment = () => new Date(start + Math.random() * days * day).toISOString();
      const some = {
        source: () => ({ source: `camera-${Math.floor(Math.random() * 64)}` }),
        kind: () => ({ kind: 'motion.began' }),
        rule: () => ({ rule: `rule-${Math.floor(Math.random() * 50)}` }),
        time: () => ({ until: moment() }),
      };
      const names = Object.keys(some) as (keyof typeof some)[];
      const filters = [...names.map((name) => [name]), ...names.flatMap((a, i) => names.slice(i + 1).map((b) => [a, b]))];
      const page = async (filter: readonly (keyof typeof some)[]) => {
        const query = Object.assign({ limit: 100 }, ...filter.map((name) => some[name]())) as object;
        const began = performance.now();
        const { items } = await client.call('events', { params: { site }, query: query as never });
        return { took: performance.now() - began, items };
      };
      await page(['source']);
      const times = new Map<string, number[]>();
      for (let round = 0; round < 20; round++)
        for (const filter of filters) {
          const { took } = await page(filter);
          times.set(filter.join(' and '), [...(times.get(filter.join(' and ')) ?? []), took]);
        }
      const all = [...times.values()].flat();
      const worst = [...times].sort((a, b) => share(b[1], 0.99) - share(a[1], 0.99))[0];
      const { items } = await page(['source']);
      const ids = items.map(({ id }) => Buffer.from(id.replaceAll('-', ''), 'hex'));
      const bare: number[] = [];
      for (let i = 0; i < 50; i++) {
        const began = performance.now();
        await connection.query('SELECT * FROM events WHERE site = 1 AND id IN (?)', [ids]);
        bare.push(performance.now() - began);
      }
      const deleting = performance.now();
      await connection.query('DELETE FROM events WHERE site = 1 ORDER BY site, id LIMIT 1000');
      const deleted = (performance.now() - deleting) * (events / days / 1_000);
      const dropping = performance.now();
      const dropped = await dropDays(service.database.url, start + day);
      const took = performance.now() - dropping;
      return [
        {
          name: `a page of 100 of ${events} events, by ${filters.length} filters, p99 (worst: ${worst[0]} ${ms(share(worst[1], 0.99))})`,
          ours: ms(share(all, 0.99)),
          beside: `the same rows by their ids, from the driver ${ms(median(bare))}`,
          ratio: share(all, 0.99) / median(bare),
          aim: '≤ 50 ms',
          met: share(worst[1], 0.99) <= 50,
          n: all.length,
        },
        {
          name: `dropping a day of ${events / days} events (${dropped} dropped)`,
          ours: ms(took),
          beside: `deleting its rows, by a thousandth of them ${ms(deleted)}`,
          ratio: took / deleted,
          aim: '≤ 1 s',
          met: took <= 1_000 && dropped >= 1,
          n: 1,
        },
      ];
    });
  } finally {
    await service.remove();
    await receiver.close();
  }
}
