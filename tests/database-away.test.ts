import assert from 'node:assert/strict';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { after, before, test } from 'node:test';
import { ProblemError } from '@causalis/client';
import { startDatabase } from '@causalis/start';
import { ask } from './at-work/database.js';
import { Garden } from './at-work/garden.js';
import { site } from './at-work/service.js';

let home: string;
let database: Awaited<ReturnType<typeof startDatabase>>;
let garden: Garden;
before(async () => {
  home = await mkdtemp(path.join(tmpdir(), 'causalis-away-'));
  database = await startDatabase(home);
  garden = await Garden.open({
    databaseUrl: database.url,
    document: (text) =>
      text
        .replace(/ +picture: { still: {} }\n/, '')
        .replace(', with: picture }', ' }')
        .replace(', needs: [{ action: picture, for: 5s, else: go }]', ''),
  });
});
after(async () => {
  await garden.close();
  await database.stop();
  await rm(home, { recursive: true, force: true });
});

test('what is not kept is answered 503, and it goes on by itself', async () => {
  await garden.visit();
  process.kill(database.pid, 'SIGKILL');
  const refusals: number[] = [];
  while (refusals.length < 3) {
    const refused = await garden.service.send('hook.called', 'hooks/face-desk', {}).then(
      () => 200,
      (error: unknown) => (error instanceof ProblemError ? error.problem.status : 0),
    );
    if (refused !== 200) refusals.push(refused);
  }
  assert.deepEqual(refusals, [503, 503, 503]);
  assert.equal((await garden.service.client.call('health')).ledger, 'away');

  database = await startDatabase(home, database.port);
  let id: string | undefined;
  while (id === undefined)
    id = await garden.service.send('hook.called', 'hooks/face-desk', { who: 'Head gardener' }, 'after').catch(() => undefined);
  assert.equal((await garden.service.chain(id)).event.data.who, 'Head gardener');
  const { items } = await garden.service.client.call('events', { params: { site }, query: { kind: 'hook.called' } });
  assert.ok(items.some((event) => event.id === id));
});

test('killed for ten seconds under load: what was accepted is found, everything else was 503, and all goes on by itself', async () => {
  const { service } = garden;
  const accepted: string[] = [];
  const refused: { status: number; retryAfter: string | null }[] = [];
  let number = 0;
  let over = false;
  const send = async (): Promise<void> => {
    const who = `visitor ${number++}`;
    const body = { specversion: '1.0', id: who, source: 'load', type: 'hook.called', subject: 'hooks/face-desk', data: { who, sure: 0.9 } };
    const answer = await fetch(`${service.url}/api/v1/sites/${site}/events`, {
      method: 'POST',
      headers: { authorization: `Bearer ${service.token}`, 'content-type': 'application/json' },
      body: JSON.stringify(body),
    });
    if (answer.ok) accepted.push(((await answer.json()) as { items: { id: string }[] }).items[0].id);
    else {
      refused.push({ status: answer.status, retryAfter: answer.headers.get('retry-after') });
      await answer.arrayBuffer();
    }
  };
  const until = async (enough: () => boolean) => {
    while (!enough()) await send();
  };
  const senders = Array.from({ length: 8 }, () => until(() => over));
  await until(() => accepted.length > 40);
  process.kill(database.pid, 'SIGKILL');
  const before = refused.length;
  await until(() => refused.length > before + 40);
  // Ten seconds by the service's clocks: whatever it tries again meanwhile finds nobody.
  for (let second = 0; second < 10; second++) {
    await service.after(1_000);
    await send();
  }
  database = await startDatabase(home, database.port);
  const again = accepted.length;
  await until(() => accepted.length > again + 40);
  over = true;
  await Promise.all(senders);

  assert.deepEqual([...new Set(refused.map(({ status }) => status))], [503]);
  assert.ok(refused.every(({ retryAfter }) => retryAfter !== null));
  const known = new Set(
    (await ask<{ id: string }>(service.databaseUrl, "SELECT LOWER(HEX(id)) AS id FROM events WHERE kind = 'hook.called'")).map(
      ({ id }) => id,
    ),
  );
  assert.deepEqual(
    accepted.filter((id) => !known.has(id.replaceAll('-', ''))),
    [],
    'accepted and not found',
  );
  // Mails of the last one: engine, dispatch and connections are back.
  const last = accepted.at(-1) ?? '';
  await service.after(60_000);
  await service.chainWhen(last, ({ firings }) => firings[0]?.actions.some(({ deliveries }) => deliveries[0]?.state === 'delivered'));
});
