import assert from 'node:assert/strict';
import { createServer as createHttp, type RequestListener } from 'node:http';
import { type AddressInfo, BlockList, createServer, type Socket } from 'node:net';
import { test } from 'node:test';
import type { DeliveryContent } from '@causalis/core';
import { attemptCodes } from '@causalis/words';
import { callKind } from '../src/outputs/call.js';
import type { OutputSurroundings, Sending, Sent } from '../src/outputs/contract.js';
import { lightKind } from '../src/outputs/light.js';
import { makeSenders } from '../src/outputs/registry.js';
import { smtpKind } from '../src/outputs/smtp.js';

const content: DeliveryContent = {
  verb: 'call',
  stills: [],
  words: 'Motion on the drive\r\nBcc: everybody@quillmere.example',
  event: {
    id: '01890000-0000-7000-8000-000000000001',
    kind: 'motion.began',
    section: 'cameras',
    source: 'gatehouse',
    mark: 'drive',
    time: 1_795_000_000_000,
    data: {},
    depth: 1,
    test: false,
  },
  rule: 'visitor',
  title: 'Visitor',
  at: 1_795_000_000_000,
  value: { power: true },
};
const sending: Sending = {
  key: '01890000-0000-7000-8000-00000000000a',
  attempt: 3,
  priority: 'urgent',
  recipient: 'keeper@quillmere.example',
  test: false,
  content,
  link: 'http://127.0.0.1/x',
};
const around = (
  secret: Awaited<ReturnType<OutputSurroundings['secret']>> = { value: 'pass' },
  picture?: Buffer,
  ownPorts: number[] = [],
): OutputSurroundings => ({
  secret: async () => secret,
  hasRoom: () => true,
  picture: async () => picture,
  keepPicture: async () => undefined,
  relay: async () => undefined,
  turn: async () => undefined,
  isHead: () => false,
  brokers: { publish: async () => true },
  calls: { forbidden, ownPorts: () => ownPorts },
  site: { key: 'quillmere', name: 'Quillmere', timezone: 'Europe/Dublin', language: 'en', title: () => 'Gatehouse drive' },
});
const never = new AbortController().signal;
const forbidden = new BlockList();
forbidden.addSubnet('169.254.0.0', 16, 'ipv4');
forbidden.addSubnet('fe80::', 10, 'ipv6');

/** What an attempt came to, without the steps of its way. */
const plain = ({ steps: _, ...rest }: Sent): Sent => rest;

/** Every attempt of every kind ends in a code that has words. */
function known(sent: Sent): Sent {
  assert.ok(attemptCodes.includes(sent.code), sent.code);
  assert.doesNotMatch(sent.answer ?? '', /[\r\n]/);
  return sent;
}

async function withHttp(answer: RequestListener, use: (port: number) => Promise<void>): Promise<void> {
  const server = createHttp(answer);
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  try {
    await use((server.address() as AddressInfo).port);
  } finally {
    server.closeAllConnections();
    server.close();
  }
}
const call = (port: number, more: object = {}, secret?: Parameters<typeof around>[0], ownPorts: number[] = []) =>
  callKind(around(secret, undefined, ownPorts))
    .send({ kind: 'call', url: `http://127.0.0.1:${port}/in`, ...more }, sending, never)
    .then(known);

test('a call carries its key, its attempt and its depth', async () => {
  let seen: { headers: Record<string, unknown>; body: string } = { headers: {}, body: '' };
  await withHttp(
    (request, response) => {
      let body = '';
      request.on('data', (data) => {
        body += data;
      });
      request.on('end', () => {
        seen = { headers: request.headers, body };
        response.end('thanks\r\nvery much');
      });
    },
    async (port) => {
      const sent = await call(port, { sign: { secret: 'depot' } });
      const { steps, ...rest } = sent;
      assert.deepEqual(rest, { ok: true, again: false, code: 'accepted', answer: '200 thanks very much' });
      assert.deepEqual(
        steps?.map(({ step, passed }) => [step, passed]),
        [['answer', true]],
      );
    },
  );
  assert.equal(seen.headers['webhook-id'], sending.key);
  assert.equal(seen.headers['causalis-attempt'], '3');
  assert.equal(seen.headers['causalis-depth'], '2');
  assert.match(String(seen.headers['webhook-signature']), /^v1,/);
  const body = JSON.parse(seen.body) as { id: string; type: string; data: { link: string } };
  assert.deepEqual([body.id, body.type, body.data.link], [sending.key, 'motion.began', sending.link]);
});

test('what a call’s answer means for another try is decided by its status', async () => {
  for (const [status, code, again] of [
    [204, 'accepted', false],
    [302, 'redirect', false],
    [400, 'status-refused', false],
    [404, 'status-refused', false],
    [408, 'status-refused', true],
    [429, 'status-refused', true],
    [500, 'status-refused', true],
    [503, 'status-refused', true],
  ] as const) {
    await withHttp(
      (_, response) => response.writeHead(status, { location: 'http://127.0.0.1:1/' }).end(),
      async (port) => {
        const sent = await call(port);
        assert.deepEqual([sent.code, sent.again], [code, again], String(status));
      },
    );
  }
});

test('a call goes nowhere that it must not', async () => {
  assert.equal((await call(9, { url: 'http://169.254.169.254/latest' })).code, 'address-forbidden');
  assert.equal((await call(7100, {}, undefined, [7100])).code, 'address-forbidden');
  for (const host of ['localhost', '0.0.0.0', '[::]', '[::1]', '[::ffff:127.0.0.1]', '127.1', '0x7f000001', '2130706433'])
    assert.equal((await call(7100, { url: `http://${host}:7100/` }, undefined, [7100])).code, 'address-forbidden', host);
  for (const host of ['[::ffff:169.254.169.254]', '[fe80::1]', '0xa9fea9fe'])
    assert.equal((await call(9, { url: `http://${host}/latest` })).code, 'address-forbidden', host);
});

test('nobody there, an end in the middle and an answer without an end are told apart', async () => {
  assert.deepEqual(plain(await call(9)), { ok: false, again: true, code: 'connection-refused' });
  await withHttp(
    (request) => request.socket.destroy(),
    async (port) => {
      assert.equal((await call(port)).code, 'connection-broken');
    },
  );
  await withHttp(
    (_, response) => void response.end('x'.repeat(3_000_000)),
    async (port) => {
      const sent = await call(port);
      assert.ok(sent.ok && (sent.answer?.length ?? 0) <= 300);
    },
  );
});

test('a secret that is not there or not meant for it stops the call before it is made', async () => {
  let calls = 0;
  await withHttp(
    (_, response) => {
      calls++;
      response.end();
    },
    async (port) => {
      for (const code of ['secret-not-set', 'secret-not-bound'] as const)
        assert.deepEqual(await call(port, { sign: { secret: 'depot' } }, { code }), { ok: false, again: true, code });
    },
  );
  assert.equal(calls, 0);
});

/** A mail server that says what it is told to, line by line of the dialogue. */
async function withSmtp(script: Record<string, string>, use: (port: number, heard: string[]) => Promise<void>): Promise<void> {
  const heard: string[] = [];
  const sockets = new Set<Socket>();
  const server = createServer((socket) => {
    sockets.add(socket);
    socket.on('error', () => undefined);
    socket.write(`${script.greeting ?? '220 ready'}\r\n`);
    let data = false;
    socket.on('data', (chunk) => {
      for (const line of chunk.toString().split('\r\n').filter(Boolean)) {
        heard.push(line);
        if (data) {
          if (line === '.') {
            data = false;
            socket.write(`${script.end ?? '250 queued'}\r\n`);
          }
          continue;
        }
        const word = line.split(' ')[0].toUpperCase();
        const answer =
          script[word] ??
          (word === 'EHLO' ? '250-here\r\n250 AUTH PLAIN' : word === 'DATA' ? '354 go on' : word === 'AUTH' ? '235 welcome' : '250 well');
        if (word === 'DATA' && answer.startsWith('354')) data = true;
        socket.write(`${answer}\r\n`);
      }
    });
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  try {
    await use((server.address() as AddressInfo).port, heard);
  } finally {
    for (const socket of sockets) socket.destroy();
    server.close();
  }
}
const mail = (port: number, more: object = {}, pictures?: Buffer) =>
  smtpKind(around(undefined, pictures))
    .send(
      {
        kind: 'smtp',
        host: '127.0.0.1',
        port,
        security: 'none',
        user: 'u',
        password: { secret: 'mail' },
        from: 'causalis@quillmere.example',
        ...more,
      },
      { ...sending, content: { ...content, stills: pictures ? ['a', 'b'] : [] } },
      never,
    )
    .then(known);

test('a mail carries its key as Message-ID, and no text becomes a header', async () => {
  await withSmtp({}, async (port, heard) => {
    assert.equal((await mail(port)).code, 'accepted');
    assert.ok(heard.includes(`Message-ID: <${sending.key}@quillmere.example>`));
    assert.ok(heard.includes('X-Causalis-Attempt: 3'));
    assert.deepEqual(
      heard.filter((line) => line.startsWith('RCPT')),
      ['RCPT TO:<keeper@quillmere.example>'],
    );
    const headers = heard.slice(
      heard.indexOf('DATA') + 1,
      heard.findIndex((line) => /^Motion on the drive/.test(line)),
    );
    assert.ok(
      headers.every((line) => !/^Bcc:/i.test(line)),
      'nobody else is addressed',
    );
  });
});

test('refusals of a mail server are told apart, and only passing ones are tried again', async () => {
  for (const [script, code, again] of [
    [{ AUTH: '535 no' }, 'login-refused', false],
    [{ RCPT: '550 nobody here' }, 'recipient-refused', false],
    [{ RCPT: '451 later' }, 'busy', true],
    [{ end: '554 spam' }, 'refused', false],
    [{ end: '452 full' }, 'busy', true],
    [{ greeting: '421 closing' }, 'busy', true],
  ] as const) {
    await withSmtp(script, async (port) => {
      const sent = await mail(port);
      assert.deepEqual([sent.code, sent.again], [code, again], JSON.stringify(script));
    });
  }
  const nobody = await mail(9);
  assert.deepEqual(plain(nobody), { ok: false, again: true, code: 'connection-refused' });
  assert.deepEqual(
    nobody.steps?.map(({ step, passed }) => [step, passed]),
    [['connection', false]],
  );
});

test('a mail that must be secure is not sent in the clear', async () => {
  await withSmtp({}, async (port, heard) => {
    const sent = await mail(port, { security: 'starttls' });
    assert.equal(sent.ok, false);
    assert.ok(heard.every((line) => !line.startsWith('AUTH') && !line.startsWith('DATA')));
  });
});

test('pictures beyond the most that a mail holds are left to the link', async () => {
  await withSmtp({}, async (port, heard) => {
    await mail(port, {}, Buffer.alloc(5 * 1024 * 1024));
    assert.equal(heard.filter((line) => line.startsWith('Content-Disposition: attachment')).length, 1);
  });
});

test('a light is told an absolute value with its key, and a broker that is away is tried again', async () => {
  const published: unknown[] = [];
  const light = { kind: 'light' as const, over: 'house', topic: 'lamp', rest: { power: false } };
  const kind = lightKind({ brokers: { publish: async (...args: unknown[]) => published.push(args.slice(0, 3)) > 0 } });
  assert.equal(known(await kind.send(light, sending, never)).code, 'accepted');
  assert.deepEqual(published, [['house', 'lamp', JSON.stringify({ power: true, key: sending.key, attempt: 3 })]]);
  const away = known(await lightKind({ brokers: { publish: async () => false } }).send(light, sending, never));
  assert.deepEqual([away.ok, away.again, away.code, away.steps?.map(({ passed }) => passed)], [false, true, 'broker-away', [false]]);
});

test('an output that is no longer in the document has no sender', () => {
  const senders = makeSenders(around());
  assert.equal(senders('gone', undefined), undefined);
  assert.ok(senders('media', undefined));
});
