import assert from 'node:assert/strict';
import { readFileSync } from 'node:fs';
import { after, before, test } from 'node:test';
import { readLive } from '@causalis/client';
import type { StreamMessage } from '@causalis/contract';
import type { Browser } from 'playwright-core';
import { openBrowser, signIn } from './at-work/browser.js';
import { Garden } from './at-work/garden.js';
import { site } from './at-work/service.js';

let garden: Garden;
let browser: Browser;
before(async () => {
  garden = await Garden.open({ camera: {} });
});
after(async () => {
  await browser?.close();
  await garden.close();
});

/** Opens the stream by hand and reads its messages with their ids. */
async function* stream(headers: Record<string, string> = {}, signal?: AbortSignal): AsyncGenerator<{ id: string; message: StreamMessage }> {
  const answer = await garden.service.client.raw('stream', { params: { site }, headers, ...(signal ? { signal } : {}) });
  const reader = (answer.body as ReadableStream<Uint8Array>).getReader();
  let kept = '';
  for (;;) {
    const { done, value } = await reader.read();
    if (done) return;
    kept += Buffer.from(value).toString();
    const blocks = kept.split('\n\n');
    kept = blocks.pop() ?? '';
    for (const block of blocks) {
      const id = /^id: (.*)$/m.exec(block)?.[1];
      const data = /^data: (.*)$/m.exec(block)?.[1];
      if (id && data) yield { id, message: JSON.parse(data) as StreamMessage };
    }
  }
}
const visitor = (who: string) => garden.service.send('hook.called', 'hooks/face-desk', { who });
const whoOf = (message: StreamMessage) => (message.kind === 'event' ? message.event.data.who : undefined);

/** Reads until the event about somebody has come; what was heard of visitors on the way, and the last id. */
async function until(
  messages: AsyncGenerator<{ id: string; message: StreamMessage }>,
  who: string,
): Promise<{ heard: string[]; id: string }> {
  const heard: string[] = [];
  for (;;) {
    const { value, done } = await messages.next();
    if (done) throw new Error('the stream ended');
    const seen = whoOf(value.message);
    if (seen) heard.push(seen);
    if (seen === who) return { heard, id: value.id };
  }
}

test('a stream resumes after the last message that was heard, and misses nothing', async () => {
  const end = new AbortController();
  const first = stream({}, end.signal);
  assert.equal((await first.next()).value?.message.kind, 'reset');
  await visitor('one');
  const { id } = await until(first, 'one');
  end.abort();
  for (const who of ['two', 'three', 'four']) await visitor(who);
  const again = new AbortController();
  const { heard } = await until(stream({ 'last-event-id': id }, again.signal), 'four');
  again.abort();
  assert.deepEqual(heard, ['two', 'three', 'four']);
});

test('an id that is not known any more is answered with reset', async () => {
  const end = new AbortController();
  const { value } = await stream({ 'last-event-id': 'another-7' }, end.signal).next();
  end.abort();
  assert.equal(value?.message.kind, 'reset');
});

test('a follower goes on over a restart of the service', async () => {
  const end = new AbortController();
  const states: boolean[] = [];
  const heard: string[] = [];
  const connections: (() => void)[] = [];
  const connected = () => new Promise<void>((resolve) => connections.push(resolve));
  const first = connected();
  const second = connected();
  const following = (async () => {
    const onState = (stands: boolean) => {
      states.push(stands);
      if (stands) connections.shift()?.();
    };
    for await (const message of garden.service.client.follow(site, end.signal, onState)) {
      const who = whoOf(message);
      if (who) heard.push(who);
      if (who === 'after') end.abort();
    }
  })();
  await first;
  await garden.service.kill();
  await garden.service.up();
  await second;
  await visitor('after');
  await following;
  assert.ok(states.includes(false));
  assert.deepEqual(heard, ['after']);
});

test('live messages carry header and picture', () => {
  const header = Buffer.from(JSON.stringify({ camera: 'gatehouse', bytes: 3 }));
  const length = Buffer.alloc(4);
  length.writeUInt32BE(header.length);
  const bytes = Buffer.concat([length, header, Buffer.from([1, 2, 3])]);
  const { frame, jpeg } = readLive(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.length) as ArrayBuffer);
  assert.equal(frame.camera, 'gatehouse');
  assert.deepEqual([...(jpeg ?? [])], [1, 2, 3]);
});

test('a page of another origin gets no live connection', async () => {
  browser = await openBrowser();
  const { page } = await signIn(browser, garden.service);
  const tried = (origin: string) =>
    page.evaluate(
      ([url]) =>
        new Promise<string>((resolve) => {
          const socket = new WebSocket(url);
          socket.onopen = () => resolve('open');
          socket.onerror = () => resolve('refused');
        }),
      [`${origin.replace('http', 'ws')}/api/v1/sites/${site}/live`],
    );
  assert.equal(await tried(garden.service.url), 'open');
  const { request } = await import('node:http');
  const cookies = (await page.context().cookies()).map(({ name, value }) => `${name}=${value}`).join('; ');
  const status = await new Promise<number>((resolve, reject) => {
    const asked = request(`${garden.service.url}/api/v1/sites/${site}/live`, {
      headers: {
        cookie: cookies,
        origin: 'http://elsewhere.example',
        connection: 'upgrade',
        upgrade: 'websocket',
        'sec-websocket-version': '13',
        'sec-websocket-key': Buffer.alloc(16).toString('base64'),
      },
    });
    asked
      .on('response', ({ statusCode }) => resolve(statusCode ?? 0))
      .on('upgrade', () => resolve(101))
      .on('error', reject)
      .end();
  });
  assert.equal(status, 403);
});

test('a watcher that dies is lost pictures for its cameras, and is started again', async () => {
  const camera = async () => (await garden.service.client.call('cameras', { params: { site } })).items[0].state;
  await garden.service.when(
    camera,
    ({ state }) => state === 'live',
    ({ kind }) => kind === 'camera',
  );
  const children = readFileSync(`/proc/${garden.service.pid}/task/${garden.service.pid}/children`, 'utf8').trim().split(' ').map(Number);
  assert.equal(children.length, 1);
  const lost = garden.service.when(
    camera,
    ({ reason }) => reason?.code === 'watcher-ended',
    ({ kind }) => kind === 'camera',
  );
  process.kill(children[0], 'SIGKILL');
  await lost;
  await garden.service.when(
    camera,
    ({ state }) => state === 'live',
    ({ kind }) => kind === 'camera',
  );
  const { items } = await garden.service.client.call('events', { params: { site }, query: { limit: 10 } });
  assert.deepEqual(
    items.filter(({ kind }) => kind.startsWith('camera.')).map(({ kind }) => kind),
    ['camera.restored', 'camera.lost'],
  );
});
