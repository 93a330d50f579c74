import assert from 'node:assert/strict';
import { readFile, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { after, before, test } from 'node:test';
import { shapeDocument, upgradeDocument } from '@causalis/contract';
import { createConnection } from 'mariadb';
import { freshDatabase } from './at-work/database.js';
import { ServiceAtWork, site } from './at-work/service.js';

/** What the ledger has still to send is over a day after it was written: it is read as if that had been an hour ago. */
const laterMs = Date.now() - Date.parse('2026-11-23T11:08:14Z') - 3_600_000;
const time = /(2026-11-2\d)([ T])(\d\d:\d\d:\d\d\.\d{3})/g;
/** Ids begin with their time, 48 bits in ms (RFC 9562 §5.7). */
const id = /(?<=X'|")(01a20817)(-?)([0-9a-f]{4})/g;
const later = (dump: string): string =>
  dump
    .replace(time, (_, day, between, hour) =>
      new Date(Date.parse(`${day}T${hour}Z`) + laterMs).toISOString().slice(0, 23).replace('T', between),
    )
    .replace(id, (_, high, between, low) => {
      const moved = (Number.parseInt(high + low, 16) + laterMs).toString(16).padStart(12, '0');
      return `${moved.slice(0, 8)}${between}${moved.slice(8)}`;
    });

/** A ledger as the first version wrote it: the demonstration after one visit, its mail still waiting. */
const visit = later('"01a20817-a27b-70a6-81d9-786573e7f640"').slice(1, -1);
const key = '78a2d60f29b9758fbc468f7e467702037400f757b574df01483724e43f299660';
const token = '8urSc82kzYErT0k-zfPLwxMdW1OsSyZTqjQsSbtwHgc';

let database: Awaited<ReturnType<typeof freshDatabase>>;
let service: ServiceAtWork;
async function run(statements: readonly string[]): Promise<void> {
  const { hostname, port, username, password, pathname } = new URL(database.url.replace(/^mariadb:/, 'http:'));
  const connection = await createConnection({ host: hostname, port: Number(port), user: username, password, database: pathname.slice(1) });
  for (const statement of statements) await connection.query(statement);
  await connection.end();
}
before(async () => {
  database = await freshDatabase();
  const dump = await readFile(new URL('../upgrade/ledger-001.sql', import.meta.url), 'utf8');
  await run(
    later(dump)
      .split(/;\n/)
      .filter((line) => /^(CREATE|INSERT)/m.test(line)),
  );
  service = await ServiceAtWork.start(database.url, async (home) => {
    await writeFile(path.join(home, 'secrets.key'), key);
    await writeFile(path.join(home, 'login.json'), JSON.stringify({ url: 'http://127.0.0.1:7100', token }));
  });
});
after(async () => {
  await service?.remove();
  await database?.drop();
});

test('a ledger of the first version is taken over with its chains, deliveries and state', async () => {
  const { event, firings } = await service.chain(visit);
  assert.equal(event.kind, 'motion.began');
  const message = firings[0].actions.find(({ name }) => name === 'message')?.deliveries[0];
  assert.ok(message && !['delivered', 'failed'].includes(message.state));
  assert.equal(message.verb, 'tell');
  assert.equal(message.attempts[0].steps, undefined);
  const { items } = await service.client.call('rules', { params: { site } });
  assert.ok(items.find(({ key: rule }) => rule === 'night-visitor')?.lastFired);
});

test('its secrets open, its token signs in and its document is in force unchanged', async () => {
  const { items } = await service.client.call('secrets', { params: { site } });
  assert.deepEqual(
    items.map(({ set }) => set),
    [true, true, true],
  );
  const text = await (await service.client.raw('document', { params: { site }, headers: { accept: 'application/yaml' } })).text();
  assert.match(text, /^causalis: 1\nrevision: 1\n/);
  assert.deepEqual((await service.client.call('apply', { params: { site }, body: text })).changed, []);
});

test('what the first version had still to send is tried by this one', async () => {
  await service.after(120_000);
  await service.chainWhen(visit, ({ firings }) => {
    const message = firings[0].actions.find(({ name }) => name === 'message')?.deliveries[0];
    return (message?.attempts.at(-1)?.steps?.length ?? 0) > 0;
  });
});

test('a ledger of a newer version is refused with a sentence, and left as it is', async () => {
  await service.down();
  await run(["INSERT INTO SequelizeMeta VALUES ('999-later')"]);
  await assert.rejects(service.up(), /newer version of Causalis/);
  await run(["DELETE FROM SequelizeMeta WHERE name = '999-later'"]);
  await service.up();
  assert.equal((await service.chain(visit)).event.id, visit);
});

test('a document goes from version to version step by step, and a newer one is refused', async () => {
  const document = (await service.client.call('document', { params: { site } })) as Record<string, unknown>;
  // Rehearsed with a next version of the language in which a mode is an item of its own, and one after it.
  const steps = {
    1: ({ site: head, ...rest }: Record<string, unknown>) => {
      const { modes, ...more } = head as { modes: string[] };
      return { ...rest, site: more, modes: Object.fromEntries(modes.map((mode) => [mode, {}])) };
    },
    2: (before: Record<string, unknown>) => ({ ...before, language: 'en' }),
  };
  const latest = upgradeDocument(document, steps, 3) as { causalis: number; modes: object; language: string; rules: object };
  assert.deepEqual([latest.causalis, Object.keys(latest.modes), latest.language], [3, ['closed', 'open', 'evening-event'], 'en']);
  assert.deepEqual(latest.rules, document.rules);
  assert.deepEqual(upgradeDocument(document, steps, 1), document);
  const refused = shapeDocument({ ...document, causalis: 2 });
  assert.ok('findings' in refused && refused.findings.some(({ code, path: at }) => code === 'newer-document' && at.join() === 'causalis'));
});
