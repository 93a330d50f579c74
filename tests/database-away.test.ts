import assert from 'node:assert/strict';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { after, before, test } from 'node:test';
import { ProblemError } from '@causalis/client';
import { startDatabase } from '@causalis/start';
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
