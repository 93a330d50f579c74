import assert from 'node:assert/strict';
import { execFile } from 'node:child_process';
import { mkdtemp, readdir, readFile, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { after, before, test } from 'node:test';
import { fileURLToPath } from 'node:url';
import { shapeDocument } from '@causalis/contract';
import { checkDocument } from '@causalis/core';
import { readText } from '@causalis/document';
import { findingText } from '@causalis/words';
import { Garden } from './at-work/garden.js';
import { errorsFile, errorsPage } from './errors-page.js';

const root = fileURLToPath(new URL('../../', import.meta.url));
const command = path.join(root, 'packages/cli/bin/causalis.mjs');
const chapters = (await readdir(path.join(root, 'docs')))
  .filter((name) => /^\d+-.*\.md$/.test(name))
  .sort((a, b) => Number(a.split('-')[0]) - Number(b.split('-')[0]));

let garden: Garden;
let folder: string;
before(async () => {
  garden = await Garden.open({ camera: {} });
  folder = await mkdtemp(path.join(tmpdir(), 'causalis-manual-'));
  const camera = () => garden.service.client.call('camera', { params: { site: 'quillmere', key: 'gatehouse' } });
  await garden.service.when(camera, ({ state }) => state.state === 'live');
});
after(async () => {
  await garden.close();
  await rm(folder, { recursive: true, force: true });
});

interface Block {
  readonly language: string;
  readonly text: string;
}
/** The fenced blocks of a chapter, in their order; one that says `no-run` is only read. */
function blocksOf(markdown: string): Block[] {
  return [...markdown.matchAll(/^```(\w+)([^\n]*)\n([\s\S]*?)^```/gm)].flatMap(([, language, more, text]) =>
    more.includes('no-run') ? [] : [{ language, text }],
  );
}

type Plain = Record<string, unknown>;
const isMap = (value: unknown): value is Plain => typeof value === 'object' && value !== null && !Array.isArray(value);
/** What the manual shows is a part of a document: it is put into a whole one. */
function merged(into: Plain, part: Plain): Plain {
  const result = { ...into };
  for (const [key, value] of Object.entries(part)) result[key] = isMap(value) && isMap(result[key]) ? merged(result[key], value) : value;
  return result;
}
function readPlain(text: string): Plain {
  const read = readText(text);
  assert.ok('value' in read && isMap(read.value), text);
  return read.value;
}

async function runShell(script: string): Promise<{ code: number; out: string }> {
  const env = {
    PATH: process.env.PATH,
    CAUSALIS_HOME: garden.service.home,
    CAUSALIS_URL: garden.service.url,
    CAUSALIS_TOKEN: garden.service.token,
  };
  const all = `set -eu\ncausalis() { "${process.execPath}" "${command}" "$@"; }\n${script}`;
  return await new Promise((resolve) => {
    execFile('bash', ['--norc', '-c', all], { cwd: folder, env, timeout: 60_000 }, (error, out, err) =>
      resolve({ code: error ? Number(error.code ?? 1) : 0, out: out + err }),
    );
  });
}

for (const chapter of chapters) {
  test(`every example of the manual works: ${chapter}`, async () => {
    const blocks = blocksOf(await readFile(path.join(root, 'docs', chapter), 'utf8'));
    const demo = readPlain(garden.document);
    for (const { language, text } of blocks) {
      if (language === 'yaml') {
        const shaped = shapeDocument(merged(demo, readPlain(text)));
        const findings = 'findings' in shaped ? shaped.findings : checkDocument(shaped.document);
        const errors = findings.filter(({ level }) => level === 'error').map((finding) => findingText(finding).line);
        assert.deepEqual(errors, [], text);
        if (chapter.startsWith('1-')) {
          // What the reader is told to add, they add.
          const file = path.join(folder, 'garden.yaml');
          await writeFile(file, JSON.stringify(merged(readPlain(await readFile(file, 'utf8')), readPlain(text)), null, 2));
        }
      }
      if (language === 'sh') {
        const { code, out } = await runShell(text);
        assert.equal(code, 0, `${text}\n${out}`);
        assert.doesNotMatch(out, /urn:causalis:problem/, text);
      }
    }
    if (chapter.startsWith('1-')) {
      const { items } = await garden.service.client.call('events', {
        params: { site: 'quillmere' },
        query: { limit: 1, kind: 'hook.called' },
      });
      await garden.service.chainWhen(items[0].id, ({ firings }) => firings[0]?.actions[0].state === 'ended');
      assert.ok(
        garden.mailbox?.mails.some(({ to }) => String(to).includes('me@quillmere.example')),
        'the door bell has mailed',
      );
    }
  });
}

test('every link and every picture of the manual is there', async () => {
  const files = [
    'README.md',
    ...(await readdir(path.join(root, 'docs'))).filter((name) => name.endsWith('.md')).map((name) => `docs/${name}`),
  ];
  const pictures = new Set<string>();
  for (const file of files) {
    const text = await readFile(path.join(root, file), 'utf8');
    for (const [, target] of text.matchAll(/\]\(([^)#:]+)\)/g)) {
      const full = path.join(root, path.dirname(file), target);
      await assert.doesNotReject(readFile(full), `${file} → ${target}`);
      if (full.endsWith('.png')) pictures.add(path.basename(full));
    }
  }
  assert.deepEqual([...pictures].sort(), (await readdir(path.join(root, 'docs/screenshots'))).sort(), 'no picture is left over');
});

test('every command, error and code has its place in the manual', async () => {
  assert.equal(
    await readFile(errorsFile, 'utf8'),
    errorsPage(),
    'docs/errors.md is outdated: write it anew with node tests/dist/errors-page.js',
  );
  const { out } = await runShell('causalis words --');
  const nouns = out.split('\n').filter((word) => /^[a-z]/.test(word) && word !== 'help');
  const text = await readFile(path.join(root, 'docs/9-command-line.md'), 'utf8');
  for (const noun of nouns) {
    assert.ok(text.includes(`\`${noun}\``), noun);
    const verbs = (await runShell(`causalis words -- ${noun}`)).out.split('\n').filter((word) => /^[a-z]/.test(word) && word !== 'help');
    const row = text.split('\n').find((line) => line.startsWith(`| \`${noun}\``)) ?? '';
    for (const verb of verbs) assert.ok(row.includes(`\`${verb}\``), `${noun} ${verb}`);
  }
});
