import assert from 'node:assert/strict';
import { mkdtemp, readdir, readFile, rm } from 'node:fs/promises';
import { request } from 'node:http';
import { connect } from 'node:net';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { after, before, test } from 'node:test';
import { CausalisClient } from '@causalis/client';
import { type PathName, paths, permissionsOf, type Role, roles } from '@causalis/contract';
import { causalis } from './at-work/command-line.js';
import { ask } from './at-work/database.js';
import { Garden } from './at-work/garden.js';
import { site } from './at-work/service.js';

/** A second site, which is none of the business of whoever is good for the first. */
const annex = `
causalis: 1
site: { key: annex, name: Annex, timezone: Europe/Dublin }
`;
let garden: Garden;
let logs: string;
const tokens = new Map<string, string>();
before(async () => {
  logs = await mkdtemp(path.join(tmpdir(), 'causalis-log-'));
  garden = await Garden.open({ env: { CAUSALIS_LOG: 'debug', CAUSALIS_LOG_FILE: path.join(logs, 'service.log') } });
  const { client } = garden.service;
  await client.call('apply', { params: { site: 'annex' }, body: annex });
  for (const role of roles) {
    const { password = '' } = await client.call('addUser', { body: { name: `a ${role}`, role } });
    const { token = '' } = await client.call('signIn', { body: { name: `a ${role}`, password, program: 'tests' } });
    tokens.set(role, token);
  }
  for (const key of [site, 'annex']) tokens.set(`only ${key}`, (await client.call('issueToken', { body: { name: key, site: key } })).token);
  tokens.set('over', (await client.call('issueToken', { body: { name: 'over', days: 1 } })).token);
});
after(async () => {
  await garden?.close();
  await rm(logs, { recursive: true, force: true });
});

const bodies = new Set(['POST', 'PUT']);
/** Asks an address with nothing sensible in it: only who may ask is of interest. */
async function knock(name: PathName, token: string | undefined): Promise<{ status: number; code: string }> {
  const { method, path: pattern } = paths[name];
  const address = pattern
    .replace(':site', site)
    .replace(':id', '01890000-0000-7000-8000-000000000000')
    .replace(/:(key|name|section|number|secret)/g, 'nothing-there');
  const end = new AbortController();
  const answer = await fetch(`${garden.service.url}${address}`, {
    method,
    headers: {
      ...(token === undefined ? {} : { authorization: `Bearer ${token}` }),
      ...(bodies.has(method) ? { 'content-type': 'application/json' } : {}),
    },
    ...(bodies.has(method) ? { body: '"nothing"' } : {}),
    signal: end.signal,
  });
  // A stream that opens is answer enough.
  const streams = (answer.headers.get('content-type') ?? '').includes('event-stream');
  const code = streams || answer.status < 400 ? 'done' : (/"code":"([a-z-]+)"/.exec(await answer.text())?.[1] ?? 'no problem');
  end.abort();
  return { status: answer.status, code };
}

test('every address by every role, by nobody, by another site’s token and by one that is over', async () => {
  await garden.service.after(25 * 3_600_000);
  const may = (who: Role, permission: string) =>
    permission === 'signed-in' || (permissionsOf[who] as readonly string[]).includes(permission);
  // What ends the caller's own session comes last.
  const names = (Object.keys(paths) as PathName[]).filter((name) => name !== 'signOut');
  for (const name of [...names, 'signOut' as const]) {
    const { permission, path: address } = paths[name];
    if (permission === 'open') {
      const { code } = await knock(name, undefined);
      assert.ok(!['not-signed-in', 'not-permitted'].includes(code), `${name} by nobody: ${code}`);
      continue;
    }
    for (const token of [undefined, 'x'.repeat(43), tokens.get('over')])
      assert.equal((await knock(name, token)).code, 'not-signed-in', `${name} by nobody`);
    if (address.includes(':site'))
      assert.equal((await knock(name, tokens.get('only annex'))).code, 'unknown-site', `${name} by another site`);
    else if (permission === 'people')
      assert.equal((await knock(name, tokens.get(`only ${site}`))).code, 'not-permitted', `${name} by one site`);
    for (const role of roles) {
      const { code } = await knock(name, tokens.get(role));
      if (may(role, permission)) assert.ok(!['not-signed-in', 'not-permitted'].includes(code), `${name} by ${role}: ${code}`);
      else assert.equal(code, 'not-permitted', `${name} by ${role}`);
    }
  }
});

test('a token for one site sees that site alone, and makes none for the others', async () => {
  const own = new CausalisClient({ base: garden.service.url, token: tokens.get(`only ${site}`) ?? '' });
  assert.deepEqual(
    (await own.call('sites')).items.map(({ key }) => key),
    [site],
  );
  assert.equal((await own.call('status', { params: { site } })).site.key, site);
  await assert.rejects(own.call('status', { params: { site: 'annex' } }), { code: 'unknown-site' });
  await assert.rejects(own.call('status', { params: { site: 'never-was' } }), { code: 'unknown-site' });
  await assert.rejects(own.call('apply', { params: { site: 'annex' }, body: annex }), { code: 'unknown-site' });
  await assert.rejects(own.call('issueToken', { body: { name: 'more' } }), { code: 'not-permitted' });
});

test('guessing is slowed by name and address, and keeps nobody else out', async () => {
  const { client } = garden.service;
  const { password = '' } = await client.call('addUser', { body: { name: 'keeper', role: 'viewer' } });
  const signIn = (name: string, guess: string) =>
    client.call('signIn', { body: { name, password: guess } }).then(
      () => 'in',
      (error: { code?: string }) => error.code,
    );
  const codes = [];
  for (let i = 0; i < 11; i++) codes.push(await signIn('keeper', 'guess'));
  assert.deepEqual([codes[0], codes.at(-1)], ['wrong-password', 'too-many-tries']);
  assert.equal(await signIn('a viewer', 'guess'), 'wrong-password', 'another name from there may still try');
  assert.equal(await signIn('keeper', password), 'too-many-tries');
  await garden.service.after(61_000);
  assert.equal(await signIn('keeper', password), 'in');
  // A right password resets nobody else's count.
  for (let i = 0; i < 30; i++) await signIn(`name ${i}`, 'guess');
  assert.equal(await signIn('anybody', 'guess'), 'too-many-tries');
  await garden.service.after(61_000);
});

test('pages are framed by nobody, and another name for our address gets nothing', async () => {
  const event = await garden.visit();
  for (const address of ['/', `/ledger/events/${event}`, '/api/v1/openapi.json', '/health']) {
    const answer = await fetch(`${garden.service.url}${address}`);
    assert.equal(answer.headers.get('x-frame-options'), 'DENY', address);
    assert.match(answer.headers.get('content-security-policy') ?? '', /frame-ancestors 'none'/, address);
    assert.equal(answer.headers.get('x-content-type-options'), 'nosniff', address);
    const { port } = new URL(garden.service.url);
    const rebound = await new Promise<number>((resolve, reject) => {
      request({ host: '127.0.0.1', port, path: address, headers: { host: `rebound.example:${port}` } }, (got) => {
        got.resume();
        resolve(got.statusCode ?? 0);
      })
        .on('error', reject)
        .end();
    });
    assert.equal(rebound, 421, address);
  }
});

/** Sends bytes as they are, and reads the first line of the answer. */
const raw = (text: string): Promise<string> =>
  new Promise((resolve, reject) => {
    const { hostname, port } = new URL(garden.service.url);
    const socket = connect(Number(port), hostname, () => socket.write(text));
    let got = '';
    socket.on('data', (data) => {
      got += data;
    });
    socket.on('close', () => resolve(got)).on('error', reject);
  });

test('no path climbs out of where it belongs', async () => {
  for (const climb of [
    '/../../package.json',
    '/assets/../../../package.json',
    '/assets/%2e%2e/%2e%2e/package.json',
    '/..%2f..%2fetc/passwd',
    '/assets/..\\..\\package.json',
    '/%00',
    '//etc/passwd',
  ]) {
    const answer = await raw(`GET ${climb} HTTP/1.1\r\nHost: 127.0.0.1\r\nConnection: close\r\n\r\n`);
    assert.doesNotMatch(answer, /"workspaces"|root:x:/, climb);
    assert.doesNotMatch(answer, /^HTTP\/1\.1 5/, climb);
  }
  const authorization = `Authorization: Bearer ${garden.service.token}`;
  for (const climb of [`/api/v1/sites/${site}/media/..%2f..%2fsecrets.key`, `/api/v1/sites/..%2f${site}/status`]) {
    const answer = await raw(`GET ${climb} HTTP/1.1\r\nHost: 127.0.0.1\r\n${authorization}\r\nConnection: close\r\n\r\n`);
    assert.match(answer, /^HTTP\/1\.1 4/, climb);
  }
});

test('two who bring the same event at the same moment: it is accepted once, and both learn its number', async () => {
  const body = {
    specversion: '1.0',
    id: 'at-once',
    source: 'tests',
    type: 'hook.called',
    subject: 'hooks/face-desk',
    data: { who: 'twins' },
  };
  const send = () => garden.service.client.call('sendEvents', { params: { site }, body: body as never });
  const answers = (await Promise.all(Array.from({ length: 12 }, send))).map(({ items }) => items[0]);
  assert.equal(new Set(answers.map(({ id }) => id)).size, 1);
  assert.equal(answers.filter(({ repeated }) => !repeated).length, 1);
  await garden.service.after(25 * 3_600_000);
  const later = (await send()).items[0];
  assert.equal(later.repeated, false, 'a day later it is another one');
});

test('text of others reaches no terminal, no mail header and no page as anything but text', async () => {
  const { service } = garden;
  const nasty = '\u001b[2J\u001b]0;owned\u0007\r\nBcc: everybody@quillmere.example <img src=x onerror=alert(1)> {{7*7}} \u202egnp';
  const event = await service.send('hook.called', 'hooks/face-desk', { who: nasty, sure: 0.9 });
  const chain = await service.chainWhen(event, (one) => one.firings.length > 0 && (garden.mailbox?.mails.length ?? 0) > 0);
  // biome-ignore lint/suspicious/noControlCharactersInRegex: they are what must not come back
  assert.doesNotMatch(chain.event.data.who ?? '', /[\u0000-\u001f\u007f-\u009f\u202a-\u202e]/);
  for (const args of [
    ['event', 'list'],
    ['event', 'chain', event],
    ['delivery', 'list'],
  ]) {
    const { out, err } = await causalis(service.home, [...args, '--site', site]);
    // biome-ignore lint/suspicious/noControlCharactersInRegex: they are what must not come back
    assert.doesNotMatch(out + err, /[\u0000-\u0008\u000b-\u001f\u202a-\u202e]/, args.join(' '));
  }
  const mail = garden.mailbox?.mails.find(({ text }) => text.includes('onerror'));
  assert.ok(mail === undefined || !/\n/.test(mail.subject));
  assert.ok(garden.mailbox?.mails.every(({ to }) => !to.includes('everybody')));
});

test('half a character, and a name with a line in it, spoil nothing for anybody else', async () => {
  const { service } = garden;
  const { address } = await service.client.call('issueHook', { params: { site, key: 'face-desk' } });
  const hook = (name: string) => fetch(new URL(address, service.url), { method: 'POST', body: `{"person":{"name":"${name}"}}` });
  const statuses = await Promise.all([hook('\\ud800'), hook('somebody'), hook(`${'x'.repeat(198)}😀😀`), hook('\\udc00\\ud800')]);
  assert.deepEqual(
    statuses.map(({ status }) => status),
    [200, 200, 200, 200],
  );
  const event = await service.send('hook.called', 'hooks/face-desk', { label: '\ud800' });
  assert.equal((await service.chain(event)).event.data.label, '\ufffd');
  const named = (source: string, id: string) =>
    service.client.call('sendEvents', {
      params: { site },
      body: { specversion: '1.0', id, source, type: 'hook.called', subject: 'hooks/face-desk', data: {} } as never,
    });
  await assert.rejects(named('a\nb', 'c'), { code: 'body-refused' });
  assert.equal((await service.client.call('health')).ledger, 'well');
});

test('planted secrets are found in no log, no row, no answer and no file but their own', async () => {
  const { service } = garden;
  const { client } = service;
  const planted = ['plant-user-7f3a91c2', 'plant-gate-7f3a91c2', 'plant-mail-7f3a91c2'];
  await client.call('addUser', { body: { name: 'planted', role: 'viewer', password: planted[0] } });
  const { token: session = '' } = await client.call('signIn', { body: { name: 'planted', password: planted[0], program: 'x' } });
  await client.call('signIn', { body: { name: planted[1], password: planted[2] } }).catch(() => undefined);
  await client.call('setSecret', { params: { site, key: 'gatehouse' }, body: { value: planted[1] } });
  await client.call('setSecret', { params: { site, key: 'mail' }, body: { value: planted[2] } });
  const { address } = await client.call('issueHook', { params: { site, key: 'face-desk' } });
  const hook = address.split('/in/')[1];
  await fetch(new URL(address, service.url), { method: 'POST', body: '{"person":{"name":"somebody"}}' });
  await fetch(`${service.url}/in/${hook}x`, { method: 'POST', body: planted[2] });
  await service.after(3_600_000);
  const event = await garden.visit();
  await service.chainWhen(event, (chain) =>
    chain.firings.flatMap(({ actions }) => actions).some(({ deliveries }) => deliveries.some(({ attempts }) => attempts.length > 0)),
  );
  const secrets = [...planted, session, hook, service.token];

  const found: string[] = [];
  const look = (where: string, text: string) => {
    for (const secret of secrets) if (text.includes(secret)) found.push(`${secret.slice(0, 12)}… in ${where}`);
  };
  const tables = await ask<{ name: string }>(
    service.databaseUrl,
    'SELECT TABLE_NAME AS name FROM information_schema.TABLES WHERE TABLE_SCHEMA = DATABASE()',
  );
  for (const { name } of tables) {
    const rows = await ask(service.databaseUrl, `SELECT * FROM ${name}`);
    const bytes = rows.map((row) =>
      Object.values(row)
        .map((value) =>
          Buffer.isBuffer(value)
            ? value.toString('latin1')
            : JSON.stringify(value, (_, part) => (typeof part === 'bigint' ? Number(part) : part)),
        )
        .join(' '),
    );
    // Whoever types a password where their name belongs has said it; it is counted nowhere and kept nowhere.
    look(`table ${name}`, bytes.join('\n'));
  }
  for (const name of Object.keys(paths) as PathName[]) {
    const { method, path: pattern } = paths[name];
    if (method !== 'GET' || ['stream', 'live'].includes(name)) continue;
    const filled = pattern
      .replace(':site', site)
      .replace(':id', event)
      .replace(':number', '1')
      .replace(':section', 'outputs')
      .replace(':key', 'mail');
    const answer = await fetch(`${service.url}${filled}`, { headers: { authorization: `Bearer ${service.token}` } });
    look(name, await answer.text());
  }
  const own = new Set(['login.json', 'first-sign-in.json', 'secrets.key', 'local.key', 'database.password']);
  for (const entry of await readdir(service.home, { withFileTypes: true, recursive: true })) {
    if (!entry.isFile() || own.has(entry.name)) continue;
    look(entry.name, await readFile(path.join(entry.parentPath ?? entry.path, entry.name), 'latin1'));
  }
  look('the log', await readFile(service.logFile, 'utf8'));
  assert.deepEqual(found, []);
  assert.ok((await readFile(service.logFile, 'utf8')).length > 0, 'there is a log to look at');
});
