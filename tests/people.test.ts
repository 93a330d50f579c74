import assert from 'node:assert/strict';
import { existsSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { after, before, test } from 'node:test';
import { CausalisClient, ProblemError } from '@causalis/client';
import { permissionsOf, type Role } from '@causalis/contract';
import { Garden } from './at-work/garden.js';
import { site } from './at-work/service.js';

let garden: Garden;
before(async () => {
  garden = await Garden.open();
});
after(() => garden.close());

const params = { site };
const as = (token: string) => new CausalisClient({ base: garden.service.url, token });
async function codeOf(call: Promise<unknown>): Promise<string> {
  try {
    await call;
    return 'done';
  } catch (error) {
    if (error instanceof ProblemError) return error.code;
    throw error;
  }
}
/** Somebody with a role, signed in as a program. */
async function somebody(name: string, role: Role): Promise<{ client: CausalisClient; password: string }> {
  const { password = '' } = await garden.service.client.call('addUser', { body: { name, role } });
  const { token = '' } = await garden.service.client.call('signIn', { body: { name, password, program: 'tests' } });
  return { client: as(token), password };
}

test('each role may do what it is for, and is told what it lacks', async () => {
  for (const role of ['viewer', 'operator', 'integrator'] as const) {
    const { client } = await somebody(`a ${role}`, role);
    assert.deepEqual((await client.call('me')).permissions, permissionsOf[role]);
    const may = (permission: string) => (permissionsOf[role] as readonly string[]).includes(permission);
    const wanted = (permission: string) => (may(permission) ? 'done' : 'not-permitted');
    assert.equal(await codeOf(client.call('status', { params })), wanted('view'));
    assert.equal(await codeOf(client.call('setMode', { params, body: { mode: 'closed' } })), wanted('operate'));
    assert.equal(await codeOf(client.call('check', { params, body: 'causalis: 1' })), wanted('configure'));
    assert.equal(await codeOf(client.call('secrets', { params })), wanted('secrets'));
    assert.equal(await codeOf(client.call('users')), wanted('people'));
    assert.equal(await codeOf(client.call('audit', { query: {} })), wanted('people'));
  }
});

test('a token may be given less than its user, has an end, and ends at once when it is revoked', async () => {
  const { client } = garden.service;
  const issued = await client.call('issueToken', { body: { name: 'wallboard', permissions: ['view'], days: 1 } });
  const wallboard = as(issued.token);
  assert.equal(await codeOf(wallboard.call('status', { params })), 'done');
  assert.equal(await codeOf(wallboard.call('setMode', { params, body: { mode: 'closed' } })), 'not-permitted');
  const { items } = await client.call('tokens');
  assert.ok(items.some(({ id, permissions }) => id === issued.id && permissions.join() === 'view'));
  assert.doesNotMatch(JSON.stringify(items), new RegExp(issued.token));
  await garden.service.after(25 * 3_600_000);
  assert.equal(await codeOf(wallboard.call('status', { params })), 'not-signed-in');
  const another = await client.call('issueToken', { body: { name: 'another' } });
  assert.equal(await codeOf(as(another.token).call('status', { params })), 'done');
  await client.call('revokeToken', { params: { id: another.id } });
  assert.equal(await codeOf(as(another.token).call('status', { params })), 'not-signed-in');
  assert.equal(await codeOf(client.call('revokeToken', { params: { id: another.id } })), 'unknown-item');
});

test('a token that may less than its user makes nothing that may more', async () => {
  const { client } = garden.service;
  const manager = as((await client.call('issueToken', { body: { name: 'manager', permissions: ['view', 'people'] } })).token);
  const made = await manager.call('issueToken', { body: { name: 'made' } });
  assert.deepEqual(made.permissions, ['view', 'people']);
  assert.deepEqual((await as(made.token).call('me')).permissions, ['view', 'people']);
  assert.equal(await codeOf(manager.call('issueToken', { body: { name: 'more', permissions: ['configure'] } })), 'not-permitted');
  assert.equal(await codeOf(manager.call('addUser', { body: { name: 'another', role: 'integrator' } })), 'not-permitted');
  assert.equal(
    await codeOf(manager.call('setUser', { params: { name: 'integrator' }, body: { password: 'another-password' } })),
    'not-permitted',
  );
  assert.equal(await codeOf(manager.call('removeUser', { params: { name: 'a integrator' } })), 'not-permitted');
  assert.equal(await codeOf(manager.call('addUser', { body: { name: 'a looker', role: 'viewer' } })), 'done');
  assert.deepEqual((await client.call('issueToken', { body: { name: 'all' } })).permissions, permissionsOf.integrator);
});

test('a password that is changed ends the sessions that stood under the old one', async () => {
  const { password } = await somebody('changeable', 'viewer');
  const signIn = (word: string) =>
    fetch(`${garden.service.url}/api/v1/session`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ name: 'changeable', password: word }),
    });
  const session = await signIn(password);
  const headers = { cookie: (session.headers.get('set-cookie') ?? '').split(';')[0] };
  const me = async () => (await fetch(`${garden.service.url}/api/v1/me`, { headers })).status;
  assert.equal(await me(), 200);
  await garden.service.client.call('setUser', { params: { name: 'changeable' }, body: { password: 'another-password' } });
  assert.equal(await me(), 401);
  assert.equal((await signIn(password)).status, 401);
  assert.equal((await signIn('another-password')).status, 200);
});

test('whoever knows their password can change it, and the one of the first start goes from the data folder', async () => {
  const { client, home } = garden.service;
  const file = `${home}/first-sign-in.json`;
  const { password } = JSON.parse(await readFile(file, 'utf8')) as { password: string };
  assert.equal(await codeOf(client.call('setPassword', { body: { old: 'not-it-at-all', new: 'another-password' } })), 'wrong-password');
  assert.ok(existsSync(file));
  await client.call('setPassword', { body: { old: password, new: 'another-password' } });
  assert.ok(!existsSync(file));
  const again = await client.call('signIn', { body: { name: 'integrator', password: 'another-password', program: 'tests' } });
  assert.ok(again.token);
});

test('names are taken once, the last integrator stays, and who is removed is out at once', async () => {
  const { client } = garden.service;
  assert.equal(await codeOf(client.call('addUser', { body: { name: 'integrator', role: 'viewer' } })), 'name-taken');
  const { client: gone } = await somebody('here today', 'operator');
  await client.call('removeUser', { params: { name: 'here today' } });
  assert.equal(await codeOf(gone.call('me')), 'not-signed-in');
  assert.equal(await codeOf(client.call('removeUser', { params: { name: 'here today' } })), 'unknown-user');
  await client.call('removeUser', { params: { name: 'a integrator' } });
  assert.equal(await codeOf(client.call('removeUser', { params: { name: 'integrator' } })), 'last-integrator');
  assert.equal(await codeOf(client.call('setUser', { params: { name: 'integrator' }, body: { role: 'viewer' } })), 'last-integrator');
});

test('a forgotten password is made anew for the data folder’s key alone', async () => {
  const { client, home } = garden.service;
  assert.equal(await codeOf(client.call('recover', { body: { key: 'x'.repeat(43) } })), 'wrong-password');
  const key = (await readFile(`${home}/local.key`, 'utf8')).trim();
  const { name, password, token } = await client.call('recover', { body: { key } });
  assert.equal(name, 'integrator');
  assert.equal((await as(token).call('me')).name, 'integrator');
  assert.ok((await client.call('signIn', { body: { name, password, program: 'tests' } })).token);
});

test('the audit has a line for every change, newest first, page by page', async () => {
  const { client } = garden.service;
  const first = await client.call('audit', { query: { limit: 5 } });
  assert.equal(first.items[0].what, 'token.issued');
  const second = await client.call('audit', { query: { limit: 200, before: first.next as never } });
  const all = [...first.items, ...second.items];
  assert.deepEqual(
    all.map(({ id }) => id),
    all.map(({ id }) => id).sort((a, b) => b - a),
  );
  const done = new Set(all.map(({ what }) => what));
  for (const what of [
    'document.applied',
    'secret.set',
    'user.added',
    'user.changed',
    'user.removed',
    'token.revoked',
    'password.changed',
    'password.recovered',
  ])
    assert.ok(done.has(what), what);
  assert.doesNotMatch(JSON.stringify(all), /another-password|mail-pass/);
});
