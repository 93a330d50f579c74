import assert from 'node:assert/strict';
import { after, before, test } from 'node:test';
import { type PathName, paths, shapes } from '@causalis/contract';
import fc from 'fast-check';
import { z } from 'zod';
import { Garden } from './at-work/garden.js';
import { site } from './at-work/service.js';

let garden: Garden;
before(async () => {
  garden = await Garden.open();
});
after(() => garden.close());

type Shape = { params?: z.ZodType; query?: z.ZodType; body?: z.ZodType };
type Json = Record<string, unknown>;
const id = '01890000-0000-7000-8000-000000000000';
const real: Readonly<Record<string, string>> = {
  site,
  key: 'gatehouse',
  id,
  number: '1',
  name: 'integrator',
  section: 'rules',
  secret: 'x',
};
const names = (Object.keys(paths) as PathName[]).filter((name) => name !== 'live' && name !== 'stream');
const schemaOf = (shape: z.ZodType): Json => z.toJSONSchema(shape, { io: 'input', unrepresentable: 'any' }) as Json;
const propertiesOf = (shape: z.ZodType | undefined): string[] =>
  Object.keys((shape ? (schemaOf(shape).properties as Json) : undefined) ?? {});

/** Texts that somebody with bad intentions, or a broken program, would write. */
const hostileTexts = [
  '',
  ' ',
  'x'.repeat(5_000),
  '\u0000',
  'a\r\nSet-Cookie: x=y',
  '\u202egnp.exe',
  '../../../etc/passwd',
  '%2e%2e%2f',
  "' OR 1=1 --",
  '<script>alert(1)</script>',
  '{{constructor.constructor("x")()}}',
  '__proto__',
  'constructor',
  '\ud800',
  '\u001b[31mred',
  'NaN',
  '-1',
  '1e309',
  '9007199254740993',
];
const hostile = fc.oneof(
  fc.constantFrom<unknown>(...hostileTexts, null, true, -1, 0.5, 1e308, [], {}, [[]], { secret: { secret: 'x' } }),
  fc.jsonValue({ maxDepth: 3 }),
);

/** A text without halves of characters: no address can hold one. */
const wellFormed = (text: string): string => Buffer.from(text).toString();

const address = (path: string, values: Readonly<Record<string, string>>) =>
  path.replace(/:([a-z]+)/g, (_, name: string) => encodeURIComponent(wellFormed(values[name] ?? 'x')));

/** Asks as a signed-in integrator; every answer is either done or a problem with a code, and never our own trouble. */
async function ask(name: PathName, url: string, body: string | undefined, type = 'application/json') {
  const answer = await fetch(`${garden.service.url}${url}`, {
    method: paths[name].method,
    headers: { authorization: `Bearer ${garden.service.token}`, ...(body === undefined ? {} : { 'content-type': type }) },
    ...(body === undefined ? {} : { body }),
    redirect: 'manual',
  });
  const text = await answer.text();
  assert.ok(
    answer.status < 500 || answer.status === 503,
    `${name} ${url.slice(0, 200)} ${body?.slice(0, 200)} → ${answer.status} ${text.slice(0, 300)}`,
  );
  if (answer.status < 400) return { status: answer.status, findings: [] as { path: unknown[] }[] };
  assert.match(answer.headers.get('content-type') ?? '', /problem\+json/, `${name} ${answer.status}`);
  const problem = JSON.parse(text) as { code: string; detail: string; findings?: { path: unknown[]; code: string }[] };
  assert.ok(problem.code && problem.detail, text);
  // biome-ignore lint/suspicious/noControlCharactersInRegex: they are what must not come back
  assert.doesNotMatch(problem.detail, /[\u0000-\u0008\u000b-\u001f]/, `${name}: ${JSON.stringify(problem.detail)}`);
  return { status: answer.status, findings: problem.findings ?? [] };
}
const document = async () =>
  await (await garden.service.client.raw('document', { params: { site }, headers: { accept: 'application/yaml' } })).text();

test('whatever stands in a parameter or a query of any address, the answer is a problem with a code', async () => {
  for (const name of names) {
    const shape = shapes[name] as unknown as Shape;
    const parameters = [...paths[name].path.matchAll(/:([a-z]+)/g)].map(([, parameter]) => parameter);
    for (const parameter of parameters)
      for (const text of hostileTexts) await ask(name, address(paths[name].path, { ...real, [parameter]: text }), undefined);
    for (const field of propertiesOf(shape.query))
      for (const text of hostileTexts)
        await ask(name, `${address(paths[name].path, real)}?${new URLSearchParams({ [field]: wellFormed(text) })}`, undefined);
    if (shape.query) {
      const unknown = await ask(name, `${address(paths[name].path, real)}?no-such-word=1`, undefined);
      assert.deepEqual([unknown.status, unknown.findings[0]?.path], [422, ['querystring', 'no-such-word']], name);
    }
  }
});

/** A body of each address that has one which its schema takes; what it names does not exist, so that it changes nothing. */
const bodies: Partial<Record<PathName, Json>> = {
  signIn: { name: 'nobody at all', password: 'wrong-password', program: 'tests' },
  recover: { key: 'x'.repeat(43), name: 'integrator' },
  setPassword: { old: 'wrong-password', new: 'another-password' },
  addUser: { name: 'integrator', role: 'viewer', password: 'another-password' },
  setUser: { role: 'integrator' },
  issueToken: { name: 'hostile', permissions: ['view'], days: 1 },
  sendEvents: {
    specversion: '1.0',
    id: 'h',
    source: 'tests',
    type: 'hook.called',
    subject: 'hooks/no-such-hook',
    data: { who: 'x', sure: 0.5 },
  },
  tryRule: { dry: true, regardless: false },
  testOutput: { to: 'x@quillmere.example' },
  setOutput: { power: true, level: 0.5, for: '1s' },
  setMode: { mode: 'no-such-mode' },
  setSecret: { value: 'x' },
  probe: { feed: { kind: 'file', file: 'nothing.mp4' }, password: 'x', channels: false },
  paths: { host: '127.0.0.1:1', user: 'causalis', password: 'x' },
  replay: { watching: { quiet: '3s' } },
  suggest: { seconds: 60 },
};

test('every field of every body with a wrong value is refused with its place, and nothing changes', async () => {
  const before = await document();
  const withBody = names.filter((name) => bodies[name]);
  const described = names.filter((name) => propertiesOf((shapes[name] as unknown as Shape).body).length > 0);
  assert.deepEqual(
    described.filter((name) => !bodies[name]),
    [],
    'every body that has a shape is tried',
  );
  for (const name of withBody) {
    const body = bodies[name] as Json;
    const url = address(paths[name].path, { ...real, key: 'no-such-item' });
    const properties = propertiesOf((shapes[name] as unknown as Shape).body);
    for (const field of new Set([...Object.keys(body), ...properties])) {
      for (const value of [{ a: 1 }, [[1]], 'x\u0000y'.repeat(3_000)]) {
        const { status, findings } = await ask(name, url, JSON.stringify({ ...body, [field]: value }));
        // Tries at a password are few a minute: what is refused by then is refused all the same.
        if (status === 429) continue;
        assert.equal(status, 422, `${name}.${field} = ${JSON.stringify(value).slice(0, 40)}`);
        assert.ok(
          findings.some(({ path }) => path[0] === field),
          `${name}.${field}: ${JSON.stringify(findings).slice(0, 200)}`,
        );
      }
    }
    const unknown = await ask(name, url, JSON.stringify({ ...body, 'no-such-word': 1 }));
    if (unknown.status !== 429) assert.deepEqual([unknown.status, unknown.findings[0]?.path], [422, ['no-such-word']], name);
    const [field] = Object.keys(body);
    const twice = await ask(name, url, `{${JSON.stringify(field)}: ${JSON.stringify(body[field])}, ${JSON.stringify(body).slice(1)}`);
    assert.equal(twice.status, 422, `${name}: a repeated word`);
  }
  assert.equal(await document(), before);
});

test('no body of any address makes it stumble', async () => {
  const withBody = names.filter((name) => (shapes[name] as unknown as Shape).body !== undefined);
  await fc.assert(
    fc.asyncProperty(
      fc.constantFrom(...withBody),
      hostile,
      fc.constantFrom('application/json', 'application/yaml', 'text/plain', 'x/y'),
      async (name, body, type) => {
        // Only documents may change something here; what hostile values they can hold is tried below.
        await ask(name, address(paths[name].path, { ...real, key: 'no-such-item' }), JSON.stringify(body), type);
      },
    ),
    { numRuns: 300 },
  );
});

test('a document with a hostile value at any place is refused whole, or accepted by the check and harmless', async () => {
  const { client } = garden.service;
  const plain = (await client.call('document', { params: { site } })) as Json;
  const places = (of: unknown, path: (string | number)[] = []): (string | number)[][] =>
    typeof of !== 'object' || of === null
      ? [path]
      : [path, ...Object.entries(of).flatMap(([key, inner]) => places(inner, [...path, Array.isArray(of) ? Number(key) : key]))];
  const every = places(plain).filter(({ length }) => length > 0);
  const before = await document();
  await fc.assert(
    fc.asyncProperty(fc.constantFrom(...every), hostile, async (path, value) => {
      const copy = structuredClone(plain);
      let here = copy as Record<string | number, unknown>;
      for (const step of path.slice(0, -1)) here = here[step] as Record<string | number, unknown>;
      here[path[path.length - 1]] = value;
      const { findings } = await ask('check', address(paths.check.path, real), JSON.stringify(copy), 'application/yaml');
      assert.ok(Array.isArray(findings));
    }),
    { numRuns: 300 },
  );
  assert.equal(await document(), before);
});

test('a hostile name of an item is refused by its place', async () => {
  for (const name of ['__proto__', 'constructor', 'on', 'Big', 'ü', '-x', 'x'.repeat(64), 'by-hand', 'a b', '../x']) {
    const text = (await document()).replace('  night-visitor:', `  ${JSON.stringify(name)}:`);
    const { findings } = await garden.service.client.call('check', { params: { site }, body: text });
    assert.ok(
      findings.some(({ level, code }) => level === 'error' && ['bad-key', 'reserved-key'].includes(code)) ||
        findings.some(({ code }) => code === 'not-readable'),
      `${name}: ${JSON.stringify(findings).slice(0, 200)}`,
    );
  }
});
