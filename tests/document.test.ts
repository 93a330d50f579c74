import assert from 'node:assert/strict';
import { after, before, test } from 'node:test';
import { ProblemError } from '@causalis/client';
import { Garden } from './at-work/garden.js';
import { site } from './at-work/service.js';

let garden: Garden;
before(async () => {
  garden = await Garden.open();
});
after(() => garden.close());

const params = { site };
const rule = { ...params, section: 'rules', key: 'night-visitor' };
async function problemOf(call: Promise<unknown>) {
  try {
    await call;
  } catch (error) {
    if (error instanceof ProblemError) return error.problem;
    throw error;
  }
  throw new assert.AssertionError({ message: 'was not refused' });
}
const revision = async () => (await garden.service.client.call('status', { params })).site.revision;
const inForce = async () => ({ 'if-match': `"${await revision()}"` });
const yaml = async () => await (await garden.service.client.raw('document', { params, headers: { accept: 'application/yaml' } })).text();

test('one item is read and written alone, as the next revision, by whoever knows the one in force', async () => {
  const { client } = garden.service;
  const before = await revision();
  const item = await client.call('item', { params: rule });
  assert.equal((await problemOf(client.call('putItem', { params: rule, body: item }))).code, 'revision-missing');
  assert.equal(
    (await problemOf(client.call('putItem', { params: rule, body: item, headers: { 'if-match': '"99"' } }))).code,
    'revision-outdated',
  );
  const same = await client.call('putItem', { params: rule, body: item, headers: await inForce() });
  assert.deepEqual([same.revision, same.changed], [before, []]);
  const report = await client.call('putItem', { params: rule, body: { ...item, title: 'Another title' }, headers: await inForce() });
  assert.deepEqual([report.revision, report.changed], [before + 1, ['rules/night-visitor']]);
  assert.match(await yaml(), /title: Another title/);
  const { items } = await client.call('revisions', { params, query: { limit: 1 } });
  assert.deepEqual(items[0].changed, ['rules/night-visitor']);
});

test('an item that spoils the document is refused with its findings, and one that others need is not removed', async () => {
  const { client } = garden.service;
  const before = await yaml();
  const item = await client.call('item', { params: rule });
  const wrong = await problemOf(
    client.call('putItem', { params: rule, body: { ...item, guards: [{ mode: 'clsed' }], titel: 'x' }, headers: await inForce() }),
  );
  assert.deepEqual(
    wrong.findings?.map(({ code, path, values }) => [code, path.join('/'), values.near]),
    [['unknown-word', 'rules/night-visitor/titel', 'title']],
  );
  const mail = { ...params, section: 'outputs', key: 'mail' };
  const needed = await problemOf(client.call('removeItem', { params: mail, headers: await inForce() }));
  assert.ok(needed.findings?.some(({ code, path }) => code === 'unknown-name' && path.join('/') === 'members/keeper/ways/0/over'));
  assert.equal(
    (await problemOf(client.call('item', { params: { ...params, section: 'rules', key: 'night-visiter' } }))).values?.mend,
    ' Did you mean night-visitor?',
  );
  assert.equal(await yaml(), before);
});

test('an item that nobody needs is removed, seen in its revision, and restored', async () => {
  const { client } = garden.service;
  const known = { ...params, section: 'rules', key: 'known-face' };
  const before = await revision();
  await client.call('removeItem', { params: known, headers: await inForce() });
  assert.doesNotMatch(await yaml(), /known-face/);
  const old = await (await client.raw('revision', { params: { ...params, number: String(before) } })).text();
  assert.match(old, /known-face/);
  await client.call('restore', { params: { ...params, number: String(before) }, headers: await inForce() });
  assert.match(await yaml(), /known-face/);
});

test('a group’s value is in force for its cameras until they have their own', async () => {
  const { client } = garden.service;
  const groups = { ...params, section: 'groups', key: 'perimeter' };
  const gatehouse = { ...params, section: 'cameras', key: 'gatehouse' };
  await client.call('putItem', { params: groups, body: { watching: { difference: 30, quiet: '9s' } }, headers: await inForce() });
  const camera = await client.call('item', { params: gatehouse });
  await client.call('putItem', { params: gatehouse, body: { ...camera, group: 'perimeter' }, headers: await inForce() });
  const inForceAt = async (name: string) => {
    const { watching } = await client.call('camera', { params: { site, key: 'gatehouse' } });
    const found = watching.find((one) => one.name === name);
    return [found?.value, found?.from, found?.group];
  };
  assert.deepEqual(await inForceAt('difference'), ['10', 'camera', undefined]);
  const { watching: _, ...bare } = camera;
  await client.call('putItem', { params: gatehouse, body: { ...bare, group: 'perimeter' }, headers: await inForce() });
  assert.deepEqual(await inForceAt('difference'), ['30', 'group', 'perimeter']);
  assert.deepEqual(await inForceAt('largest'), ['60%', 'default', undefined]);
  const wrong = await problemOf(
    client.call('putItem', { params: gatehouse, body: { ...bare, group: 'perimetre' }, headers: await inForce() }),
  );
  assert.equal(wrong.findings?.[0].values.near, 'perimeter');
});

test('a large document is read beside the service, which answers meanwhile', async () => {
  const { client } = garden.service;
  const many = Array.from(
    { length: 4_000 },
    (_, i) =>
      `  many-${i}: { title: "Rule ${i}", cause: { event: hook.called, at: face-desk, who: "${i}" }, actions: { m: { tell: keeper, words: "{who} ${i}" } } }`,
  );
  const text = `${await yaml()}\n${many.join('\n')}\n`;
  assert.ok(text.length > 500_000);
  let answered = 0;
  let checking = true;
  const asking = (async () => {
    while (checking) {
      await client.call('mode', { params });
      answered++;
    }
  })();
  const { findings } = await client.call('check', { params, body: text });
  const wrong = await client.call('check', { params, body: text.replace('many-1234: { title', 'many-1234: { titel') });
  checking = false;
  await asking;
  assert.deepEqual(
    findings.filter(({ level }) => level === 'error'),
    [],
  );
  assert.ok(answered > 10, `${answered} answers`);
  const line = text.split('\n').findIndex((one) => one.includes('many-1234:')) + 1;
  assert.ok(wrong.findings.every(({ place }) => place?.line === line) && wrong.findings.length > 0);
});

test('what is not finished is one list: secrets, outputs, causes and drafts', async () => {
  const { client } = garden.service;
  const at = async () => (await client.call('unfinished', { params })).findings.map(({ code, path }) => `${code} ${path.join('/')}`);
  assert.ok((await at()).includes('never-tested outputs/depot-desk'));
  await client.call('testOutput', { params: { site, key: 'depot-desk' }, body: {} });
  assert.ok(!(await at()).includes('never-tested outputs/depot-desk'));
  assert.ok((await at()).includes('never-seen rules/known-face/cause'));
  await garden.service.send('hook.called', 'hooks/face-desk', { test: true });
  assert.ok((await at()).includes('never-seen rules/known-face/cause'), 'a test is not the thing itself');
  await garden.service.send('hook.called', 'hooks/face-desk', {});
  assert.ok(!(await at()).includes('never-seen rules/known-face/cause'));
  const output = await client.call('item', { params: { ...params, section: 'outputs', key: 'depot-desk' } });
  const elsewhere = { ...output, url: 'http://127.0.0.9:9/in' };
  await client.call('putItem', { params: { ...params, section: 'outputs', key: 'depot-desk' }, body: elsewhere, headers: await inForce() });
  assert.ok((await at()).includes('secret-not-bound secrets/depot'));
  const item = await client.call('item', { params: rule });
  await client.call('putItem', { params: rule, body: { ...item, active: false }, headers: await inForce() });
  assert.ok((await at()).includes('draft rules/night-visitor'));
});
