import assert from 'node:assert/strict';
import { type ChildProcess, spawn } from 'node:child_process';
import { mkdtemp, readFile, rm, writeFile } from 'node:fs/promises';
import { createRequire } from 'node:module';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { after, before, test } from 'node:test';
import { pathToFileURL } from 'node:url';
import { createMessageConnection, type MessageConnection, StreamMessageReader, StreamMessageWriter } from 'vscode-jsonrpc/node';
import { causalis } from './at-work/command-line.js';

interface Diagnostic {
  readonly message: string;
  readonly range: { readonly start: { readonly line: number } };
}

let folder: string;
let server: ChildProcess;
let editor: MessageConnection;
/** What the language server has to say of a file, as soon as it says it. */
const said = new Map<string, (diagnostics: readonly Diagnostic[]) => void>();
before(async () => {
  folder = await mkdtemp(path.join(tmpdir(), 'causalis-editor-'));
  await writeFile(path.join(folder, 'causalis.schema.json'), (await causalis('/nonexistent', ['site', 'schema'])).out);
  const bin = createRequire(import.meta.url).resolve('yaml-language-server/bin/yaml-language-server');
  server = spawn(process.execPath, [bin, '--stdio'], { stdio: ['pipe', 'pipe', 'ignore'] });
  assert.ok(server.stdout && server.stdin);
  editor = createMessageConnection(new StreamMessageReader(server.stdout), new StreamMessageWriter(server.stdin));
  editor.onNotification('textDocument/publishDiagnostics', ({ uri, diagnostics }: { uri: string; diagnostics: Diagnostic[] }) => {
    said.get(uri)?.(diagnostics);
  });
  editor.onRequest('workspace/configuration', ({ items }: { items: unknown[] }) => items.map(() => ({})));
  editor.onRequest('client/registerCapability', () => null);
  editor.listen();
  await editor.sendRequest('initialize', {
    processId: process.pid,
    rootUri: pathToFileURL(folder).href,
    capabilities: { textDocument: { completion: { completionItem: { documentationFormat: ['plaintext'] } } } },
    workspaceFolders: [{ uri: pathToFileURL(folder).href, name: 'garden' }],
  });
  await editor.sendNotification('initialized', {});
});
after(async () => {
  editor?.dispose();
  server?.kill();
  await rm(folder, { recursive: true, force: true });
});

const modeline = '# yaml-language-server: $schema=causalis.schema.json\n';
async function open(name: string, text: string): Promise<{ uri: string; diagnostics: readonly Diagnostic[] }> {
  const uri = pathToFileURL(path.join(folder, name)).href;
  const diagnostics = new Promise<readonly Diagnostic[]>((resolve) => said.set(uri, resolve));
  await editor.sendNotification('textDocument/didOpen', { textDocument: { uri, languageId: 'yaml', version: 1, text } });
  return { uri, diagnostics: await diagnostics };
}

test('an editor that speaks to a YAML language server has nothing against the demonstration', async () => {
  const demo = await readFile(new URL('../../demo/quillmere.yaml', import.meta.url), 'utf8');
  const { diagnostics } = await open('right.yaml', modeline + demo);
  assert.deepEqual(diagnostics, []);
});

test('a slip of the pen is marked at its line, and the words that can stand there are offered', async () => {
  const demo = await readFile(new URL('../../demo/quillmere.yaml', import.meta.url), 'utf8');
  const wrong = modeline + demo.replace('priority: urgent', 'priority: loud').replace('watching: { difference', 'watching: { diference');
  const { uri, diagnostics } = await open('wrong.yaml', wrong);
  const lines = wrong.split('\n');
  const at = (word: string) => lines.findIndex((line) => line.includes(word));
  assert.ok(
    diagnostics.some(({ message, range }) => range.start.line === at('priority: loud') && /routine.*important.*urgent/.test(message)),
    JSON.stringify(diagnostics),
  );
  assert.ok(diagnostics.some(({ message, range }) => range.start.line === at('diference') && message.includes('diference')));
  const line = at('priority: loud');
  const { items } = (await editor.sendRequest('textDocument/completion', {
    textDocument: { uri },
    position: { line, character: lines[line].indexOf('loud') },
  })) as { items: { label: string }[] };
  assert.deepEqual(
    items
      .map(({ label }) => label)
      .filter((label) => ['routine', 'important', 'urgent'].includes(label))
      .sort(),
    ['important', 'routine', 'urgent'],
  );
});
