import assert from 'node:assert/strict';
import { after, before, test } from 'node:test';
import { ProblemError } from '@causalis/client';
import { type PathName, paths, shapes } from '@causalis/contract';
import type { z } from 'zod';
import { Garden } from './at-work/garden.js';
import { site } from './at-work/service.js';

let garden: Garden;
before(async () => {
  garden = await Garden.open();
});
after(() => garden.close());

const params = { site };
const problemOf = async (call: Promise<unknown>) => {
  try {
    await call;
  } catch (error) {
    if (error instanceof ProblemError) return error.problem;
    throw error;
  }
  throw new assert.AssertionError({ message: 'was not refused' });
};
const fetchRaw = (path: string, init: RequestInit = {}) => fetch(`${garden.service.url}${path}`, init);
const auth = () => ({ authorization: `Bearer ${garden.service.token}` });
const filled = (path: string) =>
  path.replace(':site', site).replace(':id', '01890000-0000-7000-8000-000000000000').replace(':key', 'gatehouse').replace(':secret', 'x');

test('every address wants its permission, and says so in the same form', async () => {
  for (const [name, { method, path, permission }] of Object.entries(paths)) {
    if (permission === 'open') continue;
    const answer = await fetchRaw(filled(path), {
      method,
      ...(method === 'GET' || method === 'DELETE' ? {} : { body: '{}', headers: { 'content-type': 'application/json' } }),
    });
    assert.equal(answer.status, 401, name);
    assert.match(answer.headers.get('content-type') ?? '', /problem\+json/, name);
    assert.equal(answer.headers.get('x-content-type-options'), 'nosniff');
  }
});

test('every address stands in the OpenAPI document with its summary', async () => {
  const openapi = (await (await fetchRaw('/api/v1/openapi.json')).json()) as {
    openapi: string;
    paths: Record<string, Record<string, { operationId: string; summary: string }>>;
  };
  assert.match(openapi.openapi, /^3\.1/);
  for (const [name, { method, path, about }] of Object.entries(paths)) {
    // A hook's address is a secret, and OpenAPI has no word for a WebSocket.
    if (name === 'hook' || name === 'live') continue;
    const found = openapi.paths[path.replace(/:([a-z]+)/g, '{$1}')]?.[method.toLowerCase()];
    assert.equal(found?.operationId, name);
    assert.equal(found?.summary, about);
  }
});

test('answers keep to the contract', async () => {
  await garden.visit();
  for (const name of [
    'health',
    'me',
    'sites',
    'status',
    'cameras',
    'events',
    'rules',
    'deliveries',
    'mode',
    'secrets',
  ] as const satisfies readonly PathName[]) {
    const answer = await garden.service.client.call(name, { params });
    const read = (shapes[name].answer as z.ZodType).safeParse(answer);
    assert.ok(read.success, `${name}: ${read.error?.message}`);
  }
});

test('other hosts and other pages get nothing', async () => {
  const { request } = await import('node:http');
  const status = (headers: Record<string, string>, method = 'GET', path = '/api/v1/me') =>
    new Promise<number>((resolve, reject) => {
      const asked = request(`${garden.service.url}${path}`, { method, headers }, (answer) => {
        answer.resume();
        resolve(answer.statusCode ?? 0);
      });
      asked.on('error', reject).end(method === 'GET' ? undefined : '{}');
    });
  assert.equal(await status({ host: 'elsewhere.example' }), 421);
  assert.equal(await status({ ...auth() }), 200);
  const json = { 'content-type': 'application/json' };
  assert.equal(await status({ ...json, origin: 'http://elsewhere.example' }, 'POST', '/api/v1/session'), 403);
  assert.equal(await status({ ...json, origin: garden.service.url }, 'POST', '/api/v1/session'), 422);
});

test('sign-in gives a session that ends, and slows down who guesses', async () => {
  const { readFile } = await import('node:fs/promises');
  const first = JSON.parse(await readFile(`${garden.service.home}/first-sign-in.json`, 'utf8')) as { name: string; password: string };
  const signIn = (password: string) =>
    fetchRaw('/api/v1/session', {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ name: first.name, password }),
    });
  const answer = await signIn(first.password);
  assert.equal(answer.status, 200);
  const cookie = answer.headers.get('set-cookie') ?? '';
  assert.match(cookie, /HttpOnly/);
  assert.match(cookie, /SameSite=Strict/);
  const headers = { cookie: cookie.split(';')[0] };
  assert.equal((await fetchRaw('/api/v1/me', { headers })).status, 200);
  assert.equal((await fetchRaw('/api/v1/session', { method: 'DELETE', headers: { ...headers, origin: garden.service.url } })).status, 200);
  assert.equal((await fetchRaw('/api/v1/me', { headers })).status, 401);
  const statuses = [];
  for (let i = 0; i < 12; i++) statuses.push((await signIn('guess')).status);
  assert.equal(statuses[0], 401);
  assert.equal(statuses.at(-1), 429);
  await garden.service.after(61_000);
  assert.equal((await signIn(first.password)).status, 200);
});

test('a wrong document changes nothing and lists all findings at once', async () => {
  const before = await (await garden.service.client.raw('document', { params })).text();
  const wrong = garden.document
    .replace('threshold: 0.3%', 'threshold: lots')
    .replace('tell: keeper', 'tell: keepr')
    .replace('mode: closed', 'mode: clsed')
    .replace('port: ', 'prot: ');
  const problem = await problemOf(
    garden.service.client.call('apply', { params, body: wrong.replace('causalis: 1', 'causalis: 1\nrevision: 1') }),
  );
  assert.equal(problem.code, 'document-refused');
  assert.deepEqual(
    problem.findings?.map(({ code, place }) => [code, typeof place?.line]),
    [
      ['bad-share', 'number'],
      ['unknown-word', 'number'],
    ],
  );
  const named = await problemOf(
    garden.service.client.call('apply', {
      params,
      body: garden.document
        .replace('causalis: 1', 'causalis: 1\nrevision: 1')
        .replaceAll('tell: keeper', 'tell: keepr')
        .replace('mode: closed', 'mode: clsed'),
    }),
  );
  assert.equal(named.findings?.filter(({ level }) => level === 'error').length, 4);
  assert.ok(named.findings?.every(({ level, values }) => level !== 'error' || values.near));
  assert.equal(await (await garden.service.client.raw('document', { params })).text(), before);
});

test('a document names the revision that it was made from', async () => {
  const { client } = garden.service;
  assert.equal((await problemOf(client.call('apply', { params, body: garden.document }))).status, 428);
  assert.equal((await problemOf(client.call('apply', { params, body: garden.document, headers: { 'if-match': '"77"' } }))).status, 412);
  const exported = await (await client.raw('document', { params, headers: { accept: 'application/yaml' } })).text();
  assert.deepEqual((await client.call('apply', { params, body: exported })).changed, []);
  const { revision, changed } = await client.call('apply', {
    params,
    body: exported.replace('title: A known face at the desk', 'title: A face that is known'),
  });
  assert.deepEqual(changed, ['rules/known-face']);
  assert.equal(revision, 2);
});

test('a wrong event gets 422 with its path, and a batch is taken whole or not', async () => {
  const { client } = garden.service;
  const event = (more: object) => ({
    specversion: '1.0',
    id: crypto.randomUUID(),
    source: 'tests',
    type: 'hook.called',
    subject: 'hooks/face-desk',
    data: {},
    ...more,
  });
  const refused = async (body: unknown) => {
    const { status, findings } = await problemOf(client.call('sendEvents', { params, body: body as never }));
    return [status, findings?.map(({ path }) => path.join('/')).join(' ')];
  };
  assert.deepEqual(await refused(event({ type: 'hook.shouted' })), [422, 'type']);
  assert.deepEqual(await refused(event({ subject: 'hooks/nobody' })), [422, 'subject']);
  assert.deepEqual(await refused(event({ subject: 'cameras/gatehouse' })), [422, 'type']);
  assert.deepEqual(await refused(event({ data: { sure: 7 } })), [422, 'data/sure']);
  // Only those: the camera that nobody plays is lost some time.
  const count = async () => (await client.call('events', { params, query: { limit: 200, kind: 'hook.called' } })).items.length;
  const before = await count();
  assert.deepEqual(await refused([event({}), event({ subject: 'hooks/nobody' })]), [422, '1/subject']);
  assert.equal(await count(), before);
  const batch = [event({ id: 'one' }), event({ id: 'two' }), event({ id: 'one' })];
  const first = await client.call('sendEvents', { params, body: batch as never });
  assert.deepEqual(
    first.items.map(({ repeated }) => repeated),
    [false, false, true],
  );
  const again = await client.call('sendEvents', { params, body: batch[1] as never });
  assert.deepEqual(again.items, [{ ...first.items[1], repeated: true }]);
  assert.equal(await count(), before + 2);
});

test('unknown, ended and wrongly used hook addresses get the same answer, byte for byte', async () => {
  const { client } = garden.service;
  const issue = async () => (await client.call('issueHook', { params: { site, key: 'face-desk' } })).path;
  const old = await issue();
  const path = await issue();
  const answerOf = async (address: string, init: RequestInit = {}) => {
    const answer = await fetchRaw(address, { method: 'POST', body: '{"person":{"name":"Head gardener"},"score":0.9}', ...init });
    const headers = [...answer.headers].filter(([name]) => name !== 'date');
    return { status: answer.status, headers, body: await answer.text() };
  };
  const unknown = await answerOf(`/in/${'x'.repeat(43)}`);
  assert.equal(unknown.status, 404);
  assert.deepEqual(await answerOf(old), unknown);
  assert.deepEqual(await answerOf(path, { method: 'PUT' }), unknown);
  assert.deepEqual(await answerOf(path, { body: 'no json' }), unknown);
  const { accepted } = JSON.parse((await answerOf(path)).body) as { accepted: string };
  assert.equal((await garden.service.chain(accepted)).event.data.who, 'Head gardener');
});

test('a body over its limit is refused by its size', async () => {
  const { client } = garden.service;
  const { path } = await client.call('issueHook', { params: { site, key: 'face-desk' } });
  assert.equal((await fetchRaw(path, { method: 'POST', body: 'x'.repeat(70_000) })).status, 413);
  const large = JSON.stringify({ specversion: '1.0', source: 'x'.repeat(1_100_000) });
  assert.equal(
    (
      await fetchRaw(`/api/v1/sites/${site}/events`, {
        method: 'POST',
        headers: { ...auth(), 'content-type': 'application/json' },
        body: large,
      })
    ).status,
    413,
  );
  assert.equal(
    (
      await fetchRaw(`/api/v1/sites/${site}/apply`, {
        method: 'POST',
        headers: { ...auth(), 'content-type': 'application/yaml' },
        body: 'x'.repeat(8_500_000),
      })
    ).status,
    413,
  );
});

test('secrets are written once, shown never, and bound to where they go', async () => {
  const { client } = garden.service;
  const { items } = await client.call('secrets', { params });
  assert.ok(items.every(({ set, uses, bound }) => set && uses.join() === bound.join()));
  assert.equal(
    (await problemOf(client.call('setSecret', { params: { site, key: 'unused' }, body: { value: 'x' } }))).code,
    'secret-unused',
  );
  const exported = await (await client.raw('document', { params, headers: { accept: 'application/yaml' } })).text();
  const { findings } = await client.call('check', {
    params,
    body: exported.replace(/http:\/\/127\.0\.0\.1:\d+\/in/, 'http://127.0.0.9:9/in'),
  });
  assert.ok(findings.some(({ code, values }) => code === 'secret-not-bound' && values.value === 'depot'));
  assert.doesNotMatch(JSON.stringify(items) + exported, /mail-pass|depot-pass|gate-pass/);
});
