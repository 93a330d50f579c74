import assert from 'node:assert/strict';
import { mkdtemp, readFile, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { after, before, test } from 'node:test';
import { fileURLToPath } from 'node:url';
import { causalis } from './at-work/command-line.js';
import { Garden } from './at-work/garden.js';

let garden: Garden;
let folder: string;
before(async () => {
  garden = await Garden.open();
  folder = await mkdtemp(path.join(tmpdir(), 'causalis-cli-'));
});
after(async () => {
  await garden.close();
  await rm(folder, { recursive: true, force: true });
});
const run = (...args: string[]) => causalis(garden.service.home, args);
const demo = fileURLToPath(new URL('../../demo/quillmere.yaml', import.meta.url));

test('a document is checked without a service', async () => {
  const right = await causalis('/nonexistent', ['site', 'check', demo]);
  assert.equal(right.code, 0, right.err);
  const file = path.join(folder, 'wrong.yaml');
  await writeFile(file, (await readFile(demo, 'utf8')).replace('tell: keeper,', 'tell: keepr,').replace('kind: light', 'kind: siren'));
  const wrong = await causalis('/nonexistent', ['site', 'check', file]);
  assert.equal(wrong.code, 1);
  assert.match(
    wrong.out,
    /line \d+, column \d+: outputs\/drive-floods\/kind: siren belongs to the language, but this version does not carry it out yet/,
  );
});

test('a document goes out, is changed, and comes back as the next revision', async () => {
  const file = path.join(folder, 'garden.yaml');
  await writeFile(file, (await run('site', 'export')).out.replace('for: 20s', 'for: 25s'));
  assert.match((await run('site', 'apply', file)).out, /Revision 2 is in force. Changed: rules\/night-visitor/);
  const outdated = await run('site', 'apply', file);
  assert.equal(outdated.code, 1);
  assert.match(outdated.err, /outdated revision/);
});

test('a change is seen before it is made, and undone afterwards', async () => {
  const file = path.join(folder, 'changed.yaml');
  const before = (await run('site', 'export')).out;
  await writeFile(
    file,
    before
      .replace('for: 30s', 'for: 45s')
      .replace('title: The gatehouse camera is lost', 'title: No pictures from the gatehouse')
      .replace(/http:\/\/127\.0\.0\.1:\d+\/in/, 'http://127.0.0.9:9/in'),
  );
  const preview = (await run('site', 'preview', file)).out;
  assert.match(preview, /~ rules\/night-visitor: cooldown/);
  assert.match(preview, /~ rules\/camera-lost: title/);
  assert.match(preview, /The cooldowns of night-visitor begin afresh/);
  assert.match(preview, /written again: depot: call 127\.0\.0\.9:9/);
  assert.match(preview, /A new address: outputs\/depot-desk: 127\.0\.0\.9:9/);
  assert.equal((await run('site', 'export')).out, before, 'a preview changes nothing');

  await run('site', 'apply', file);
  const history = (await run('site', 'history')).out.split('\n');
  assert.match(history[1], /^3 .*integrator +rules\/night-vis|^3 .*integrator/);
  assert.match((await run('site', 'restore', '2')).out, /Revision 4 is in force: as 2 was/);
  assert.equal((await run('site', 'export')).out.replace('revision: 4', 'revision: 2'), before);
  assert.equal((await run('site', 'restore', '99')).code, 1);
});

test('the language is printed as JSON Schema', async () => {
  const schema = JSON.parse((await causalis('/nonexistent', ['site', 'schema'])).out) as {
    $schema: string;
    properties: Record<string, { additionalProperties: { properties: Record<string, object> } }>;
  };
  assert.match(schema.$schema, /2020-12/);
  const tell = JSON.stringify(schema.properties.rules.additionalProperties.properties.actions);
  assert.match(tell, /"tell":\{"anyOf":\[\{"type":"string"\},\{"minItems":1/, 'one value may stand for a list of one');
});

test('the site is seen at a glance', async () => {
  const { out, code } = await run('status');
  assert.equal(code, 0);
  assert.match(out, /Quillmere Botanic Garden \(quillmere\), revision \d+, mode closed/);
  const status = JSON.parse((await run('status', '--json')).out) as { mode: string };
  assert.equal(status.mode, 'closed');
});

test('an event is sent, listed and explained', async () => {
  const sent = await run('event', 'send', 'hook.called', 'face-desk', '--who', 'Head gardener', '--sure', '0.9', '--test');
  assert.match(sent.out, /Taken as number \d+/);
  const id = /number \d+: (\S+)/.exec(sent.out)?.[1] ?? '';
  assert.match((await run('event', 'list', '--source', 'face-desk')).out, /face-desk called about Head gardener \(test\)/);
  const chain = (await run('event', 'chain', id)).out;
  assert.match(chain, /fired: A known face at the desk/);
  assert.match(chain, /judged by revision 4/);
  const refused = await run('event', 'send', 'hook.called', 'face-desk', '--sure', '7');
  assert.equal(refused.code, 1);
  assert.match(refused.err, /data\/sure/);
});

test('mode, rules, cameras, secrets, hooks and deliveries each have their command', async () => {
  assert.match((await run('mode', 'set', 'open')).out, /^open \(of closed, open, evening-event\)/);
  assert.match((await run('mode', 'set', 'opn')).err, /no mode opn/);
  assert.match((await run('rule', 'list')).out, /When motion begins on the drive of gatehouse, while the mode is closed/);
  assert.match((await run('camera', 'list')).out, /gatehouse/);
  assert.match((await run('camera', 'still', 'gatehouse', '--out', path.join(folder, 'x.jpg'))).err, /has not given a picture/);
  assert.match((await causalis(garden.service.home, ['secret', 'set', 'mail'], 'mail-pass\n')).out, /mail is set, for smtp/);
  assert.match((await run('hook', 'issue', 'face-desk')).out, /\/in\/[\w-]{43}/);
  assert.equal((await run('delivery', 'list', '--json')).code, 0);
  assert.equal((await run('delivery', 'retry', '01890000-0000-7000-8000-000000000000')).code, 1);
});

test('wrong use, no sign-in and no service have exit codes of their own', async () => {
  const slip = await run('stauts');
  assert.equal(slip.code, 2);
  assert.match(slip.err, /Did you mean status/);
  assert.equal((await causalis('/nonexistent', ['status'])).code, 3);
  await writeFile(path.join(folder, 'login.json'), JSON.stringify({ url: 'http://127.0.0.1:9', token: 'x' }));
  const away = await causalis(folder, ['status']);
  assert.equal(away.code, 3);
  assert.match(away.err, /No service answers/);
});

test('following shows what happens', async () => {
  const { spawn } = await import('node:child_process');
  const command = fileURLToPath(new URL('../../packages/cli/bin/causalis.mjs', import.meta.url));
  const child = spawn(process.execPath, [command, 'event', 'follow', '--json'], {
    env: { PATH: process.env.PATH, CAUSALIS_HOME: garden.service.home },
    stdio: ['ignore', 'pipe', 'inherit'],
  });
  try {
    const first = new Promise<string>((resolve) => child.stdout.once('data', (data: Buffer) => resolve(data.toString())));
    // The follower says nothing until something happens: send until it has heard.
    let line: string | undefined;
    void first.then((text) => {
      line = text;
    });
    for (let i = 0; line === undefined && i < 100; i++)
      await garden.service.send('hook.called', 'hooks/face-desk', { who: `Visitor ${i}` });
    assert.equal((JSON.parse((line ?? (await first)).split('\n')[0]) as { kind: string }).kind, 'hook.called');
  } finally {
    child.kill('SIGINT');
  }
});

/** Every command there is, as its words. */
async function everyCommand(): Promise<string[][]> {
  const after = async (...words: string[]) =>
    (await run('words', '--', ...words)).out.split('\n').filter((word) => /^[a-z]/.test(word) && word !== 'help');
  const nouns = await after();
  return (await Promise.all(nouns.map(async (noun) => [[noun], ...(await after(noun)).map((verb) => [noun, verb])]))).flat();
}

test('help teaches every command with an example', async () => {
  const commands = await everyCommand();
  assert.ok(commands.length > 50);
  for (const words of commands) {
    const { out, code } = await run(...words, '--help');
    assert.equal(code, 0);
    // A noun alone lists its verbs; whatever does something shows how.
    if (!out.includes('\nCommands:')) assert.match(out, new RegExp(`Examples?:\n(  .*\n)*?  causalis ${words.join(' ')}`), words.join(' '));
    for (const line of out.split('\n')) if (!line.startsWith('  causalis')) assert.ok(line.length <= 80, `${words.join(' ')}: ${line}`);
  }
});

test('every table fits 80 columns', async () => {
  await run('user', 'add', 'somebody with quite a long name at the lodge of the garden', 'viewer');
  const tables = ['output list', 'camera list', 'camera show gatehouse', 'secret list', 'user list', 'audit', 'site history'];
  for (const words of tables) {
    const { out, code, err } = await run(...words.split(' '));
    assert.equal(code, 0, err);
    assert.ok(out.split('\n').length > 2, words);
    for (const line of out.split('\n')) assert.ok(line.length <= 80, `${words}: ${line}`);
  }
});

test('a word that is nearly right is answered with the right one, and the exit code says whose fault it was', async () => {
  for (const [words, said, code] of [
    ['statsu', /Did you mean status\?/, 2],
    ['output tset mail', /Did you mean one of set, test\?/, 2],
    ['rule fire night-visiter --dry', /Did you mean night-visitor\?/, 1],
    ['output test mial', /Did you mean mail\?/, 1],
    ['rule off no-such-rule-anywhere', /Known: night-visitor/, 1],
    ['output set drive-floods dim', /Write on, off or a level such as 40%/, 2],
    ['completion tcsh', /Known: bash, zsh, fish/, 2],
  ] as const) {
    const { out, err, code: exit } = await run(...words.split(' '));
    assert.match(out + err, said, words);
    assert.equal(exit, code, words);
  }
  const nobody = await causalis('/nonexistent', ['status']);
  assert.deepEqual([nobody.code, /causalis login/.test(nobody.err)], [3, true]);
});

test('a shell completes nouns, verbs and options', async () => {
  const words = async (...typed: string[]) => (await run('words', '--', ...typed)).out.split('\n');
  assert.ok((await words()).includes('delivery'));
  assert.deepEqual((await words('rule')).slice(0, 4), ['list', 'on', 'off', 'fire']);
  assert.ok((await words('delivery', 'list')).includes('--state'));
  assert.match((await run('completion', 'bash')).out, /complete -F _causalis causalis/);
});

test('a draft is kept unfinished, and is switched on only when nothing is wrong with it', async () => {
  const file = path.join(folder, 'draft.yaml');
  const draft = '  draft: { title: Draft, cause: { event: hook.called, at: no-such-hook }, actions: { m: { tell: nobody-yet } } }\n';
  await writeFile(file, (await run('site', 'export')).out.replace(/^rules:\n/m, `rules:\n${draft}`));
  const applied = await run('site', 'apply', file);
  assert.equal(applied.code, 0, applied.err);
  assert.match(applied.out, /warning: line \d+, column \d+: rules\/draft\/cause\/at: there is no source called no-such-hook/);
  assert.match((await run('rule', 'list')).out, /draft \(off, routine\)[\s\S]*warning: rules\/draft/);
  const refused = await run('rule', 'on', 'draft');
  assert.deepEqual(
    [refused.code, /there is no source called no-such-hook/.test(refused.err), /nobody-yet/.test(refused.err)],
    [1, true, true],
  );
  assert.match((await run('rule', 'list')).out, /draft \(off, routine\)/);
});

test('a rule that gets another key keeps its cooldown, and an output its claims', async () => {
  const file = path.join(folder, 'renamed.yaml');
  await run('mode', 'set', 'closed');
  await garden.service.after(60_000);
  const id = await garden.visit();
  await garden.service.chainWhen(id, ({ firings }) => firings[0]?.actions[0].state === 'ended');
  const text = (await run('site', 'export')).out
    .replace(/^ {2}night-visitor:\n/m, '  night-caller:\n    was: night-visitor\n')
    .replace(/^ {2}drive-floods:\n/m, '  flood-lights:\n    was: drive-floods\n')
    .replaceAll('set: drive-floods', 'set: flood-lights');
  await writeFile(file, text);
  assert.match(
    (await run('site', 'preview', file)).out,
    /rules\/night-visitor becomes rules\/night-caller: its identity and its state go on/,
  );
  const applied = await run('site', 'apply', file);
  assert.equal(applied.code, 0, applied.err);
  assert.doesNotMatch((await run('site', 'export')).out, /was:/);
  const again = await garden.visit();
  const held = (await garden.service.chain(again)).verdicts.find(({ rule }) => rule === 'night-caller');
  assert.equal(held?.by?.kind, 'cooldown');
  await garden.service.after(30_000);
  await garden.service.chainWhen(id, ({ firings }) =>
    firings[0].actions[0].deliveries.some(({ back, output, state }) => back && output === 'flood-lights' && state === 'delivered'),
  );
});
