import assert from 'node:assert/strict';
import { copyFile } from 'node:fs/promises';
import path from 'node:path';
import { after, before, test } from 'node:test';
import { ask } from './at-work/database.js';
import { Garden } from './at-work/garden.js';
import { ServiceAtWork, site } from './at-work/service.js';

/** Short, so that a takeover is soon seen; the mechanism is the same. */
const env = { CAUSALIS_LEASE_MS: '3000' };
let garden: Garden;
let first: ServiceAtWork;
let second: ServiceAtWork;
before(async () => {
  garden = await Garden.open({ env });
  first = garden.service;
  const share = async (home: string) => {
    for (const name of ['secrets.key', 'login.json']) await copyFile(path.join(first.home, name), path.join(home, name));
  };
  second = await ServiceAtWork.start(first.databaseUrl, share, env);
});
after(async () => {
  await second?.remove();
  await garden?.close();
});

const call = (service: ServiceAtWork, who: string) => service.send('hook.called', 'hooks/face-desk', { who }, who);
/** Resolves when a process works for the site: a follower waits for that by itself. */
const works = async (service: ServiceAtWork) => {
  await service.when(
    () => service.client.call('status', { params: { site } }),
    () => true,
  );
};

test('two processes on one ledger: one works for the site, the other says who', async () => {
  await call(first, 'one');
  await assert.rejects(call(second, 'two'), (error: { code?: string; message: string }) => {
    assert.equal(error.code, 'held-elsewhere');
    assert.match(error.message, new RegExp(first.url));
    return true;
  });
  assert.equal(
    (await fetch(`${second.url}/api/v1/sites/${site}/status`, { headers: { authorization: `Bearer ${second.token}` } })).status,
    503,
  );
});

test('a process that is killed is followed by the other, which goes on with its numbers', async () => {
  await first.kill();
  await works(second);
  await call(second, 'two');
  await first.up();
  await assert.rejects(call(first, 'nobody'), { code: 'held-elsewhere' });
});

test('a process that is frozen past its lease writes nothing when it wakes', async () => {
  process.kill(second.pid, 'SIGSTOP');
  const late = call(second, 'late').then(
    () => 'accepted',
    (error: { code?: string }) => error.code,
  );
  await works(first);
  await call(first, 'three');
  process.kill(second.pid, 'SIGCONT');
  assert.equal(await late, 'held-elsewhere');
  await call(first, 'four');

  const { items } = await first.client.call('events', { params: { site }, query: { kind: 'hook.called' } });
  assert.deepEqual(items.map((event) => event.data.who).reverse(), ['one', 'two', 'three', 'four']);
  const numbers = (await ask<{ number: number | bigint }>(first.databaseUrl, 'SELECT number FROM entries ORDER BY number')).map(
    ({ number }) => Number(number),
  );
  assert.deepEqual(
    numbers,
    numbers.map((_, i) => i + 1),
    'one after the other, each once',
  );
});

test('a process that ends in order leaves the site to the other at once', async () => {
  await first.down();
  await works(second);
  await call(second, 'five');
});
