import assert from 'node:assert/strict';
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { type AddressInfo, BlockList, createServer, type Socket } from 'node:net';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { test } from 'node:test';
import { createServer as createTls } from 'node:tls';
import { SiteDocument } from '@causalis/contract';
import { attemptCodes } from '@causalis/words';
import { Brokers } from '../src/outputs/brokers.js';
import { callKind } from '../src/outputs/call.js';
import type { OutputSurroundings, Sending, Sent } from '../src/outputs/contract.js';
import { lightKind } from '../src/outputs/light.js';
import { smtpKind } from '../src/outputs/smtp.js';

const sending: Sending = {
  key: '01890000-0000-7000-8000-00000000000a',
  attempt: 1,
  priority: 'routine',
  recipient: 'keeper@quillmere.example',
  test: false,
  link: undefined,
  content: {
    verb: 'call',
    stills: [],
    words: 'Motion on the drive',
    value: { power: true },
    event: {
      id: '01890000-0000-7000-8000-000000000001',
      kind: 'motion.began',
      section: 'cameras',
      source: 'gatehouse',
      time: 1_795_000_000_000,
      data: {},
      depth: 0,
      test: false,
    },
    rule: 'visitor',
    title: 'Visitor',
    at: 1_795_000_000_000,
  },
};
const around: OutputSurroundings = {
  secret: async () => ({ value: 'pass' }),
  hasRoom: () => true,
  picture: async () => undefined,
  keepPicture: async () => undefined,
  relay: async () => undefined,
  turn: async () => undefined,
  isHead: () => false,
  brokers: { publish: async () => true },
  calls: { forbidden: new BlockList(), ownPorts: () => [] },
  site: { key: 'quillmere', name: 'Quillmere', timezone: 'Europe/Dublin', language: 'en', title: () => 'Gatehouse drive' },
};

/** How somebody at the other end behaves; `waiting` is called when nothing more will come by itself. */
type Manner = (socket: Socket, waiting: () => void) => void;
const manners: Readonly<Record<string, Manner>> = {
  'accepts and never answers': (socket, waiting) => socket.once('data', waiting).once('connect', waiting) && waiting(),
  'drips a byte at a time': (socket, waiting) => {
    const drip = setInterval(() => socket.write('2'), 20);
    socket.on('close', () => clearInterval(drip));
    socket.once('data', waiting);
    setTimeout(waiting, 100);
  },
  'cuts in the middle': (socket) => void socket.write('HTTP/1.1 200 OK\r\ncontent-length: 100\r\n\r\nhalf', () => socket.destroy()),
  'answers a megabyte': (socket) => void socket.end('x'.repeat(1024 * 1024)),
  'greets in garbage': (socket) => void socket.end(Buffer.from([0, 255, 17, 3, 3, 250, 13, 10, 13, 10, 0])),
  'closes at once': (socket) => void socket.destroy(),
};

async function at(manner: Manner, use: (port: number, waiting: Promise<void>) => Promise<void>, tls?: { key: Buffer; cert: Buffer }) {
  const sockets = new Set<Socket>();
  let waits: () => void = () => undefined;
  const waiting = new Promise<void>((resolve) => {
    waits = resolve;
  });
  const take = (socket: Socket) => {
    sockets.add(socket);
    socket.on('error', () => undefined);
    manner(socket, waits);
  };
  const server = tls ? createTls(tls, take) : createServer(take);
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  try {
    await use((server.address() as AddressInfo).port, waiting);
  } finally {
    for (const socket of sockets) socket.destroy();
    server.close();
  }
}

const kinds: Readonly<Record<string, (port: number, signal: AbortSignal) => Promise<Sent>>> = {
  call: (port, signal) => callKind(around).send({ kind: 'call', url: `http://127.0.0.1:${port}/in` }, sending, signal),
  mail: (port, signal) =>
    smtpKind(around).send({ kind: 'smtp', host: '127.0.0.1', port, security: 'none', from: 'causalis@quillmere.example' }, sending, signal),
  light: async (port, signal) => {
    const brokers = new Brokers(
      () => undefined,
      () => undefined,
    );
    const document = SiteDocument.parse({
      causalis: 1,
      site: { key: 'quillmere', name: 'Quillmere', timezone: 'Europe/Dublin' },
      brokers: { house: { url: `mqtt://127.0.0.1:${port}` } },
    });
    brokers.use(document);
    try {
      return await lightKind({ brokers }).send({ kind: 'light', over: 'house', topic: 'lamp', rest: { power: false } }, sending, signal);
    } finally {
      await brokers.stop();
    }
  },
};

for (const [kind, send] of Object.entries(kinds))
  test(`a ${kind} to somebody who behaves badly ends with a code that has words, and is tried again`, async () => {
    for (const [name, manner] of Object.entries(manners))
      await at(manner, async (port, waiting) => {
        const end = new AbortController();
        const sent = send(port, end.signal);
        // The time of an attempt is over, whatever the other side does.
        void waiting.then(() => end.abort());
        const { ok, again, code, answer } = await sent;
        assert.ok(attemptCodes.includes(code), `${name}: ${code}`);
        assert.deepEqual([ok, again], [false, true], `${name}: ${code}`);
        assert.ok((answer ?? '').length <= 300 && !/[\r\n]/.test(answer ?? ''), name);
        if (/never|drips/.test(name) && kind !== 'light') assert.equal(code, 'no-answer', name);
      });
  });

test('a certificate that nobody vouches for ends a call and a mail for good', async () => {
  const folder = mkdtempSync(path.join(tmpdir(), 'causalis-tls-'));
  try {
    execFileSync(
      'openssl',
      [
        'req',
        '-x509',
        '-newkey',
        'rsa:2048',
        '-nodes',
        '-days',
        '2',
        '-subj',
        '/CN=elsewhere.example',
        '-keyout',
        'key.pem',
        '-out',
        'cert.pem',
      ],
      { cwd: folder, stdio: 'ignore' },
    );
    const tls = { key: readFileSync(path.join(folder, 'key.pem')), cert: readFileSync(path.join(folder, 'cert.pem')) };
    const never = new AbortController().signal;
    await at(
      () => undefined,
      async (port) => {
        const called = await callKind(around).send({ kind: 'call', url: `https://127.0.0.1:${port}/in` }, sending, never);
        assert.deepEqual([called.code, called.again], ['not-secure', false]);
        const mailed = await smtpKind(around).send(
          { kind: 'smtp', host: '127.0.0.1', port, security: 'tls', from: 'causalis@quillmere.example' },
          sending,
          never,
        );
        assert.deepEqual([mailed.code, mailed.again], ['not-secure', false]);
      },
      tls,
    );
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
});
