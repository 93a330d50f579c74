import assert from 'node:assert/strict';
import { test } from 'node:test';
import { connectAsync } from 'mqtt';
import { Webhook } from 'standardwebhooks';
import { CallReceiver, Lamp, makeScene, passagesOf, SimulatedCamera } from '../src/index.js';

const options = (seed: number, hour: number) => ({ seed, width: 320, height: 180, lengthMs: 300_000, hourAt: () => hour });

test('the same seed and time give the same picture, in any order', async () => {
  const scene = await makeScene(options(5, 12));
  const first = Buffer.from(scene.paint(24_000));
  scene.paint(3_000);
  assert.ok(first.equals(scene.paint(24_000)));
  const other = await makeScene(options(6, 12));
  assert.ok(!first.equals(other.paint(24_000)));
});

test('the first walker comes after twenty seconds, then about one a minute', () => {
  for (const seed of [1, 2, 3]) {
    const passages = passagesOf(seed, 600_000);
    assert.ok(passages[0].from >= 20_000 && passages[0].from < 28_000);
    assert.ok(passages.length >= 8 && passages.length <= 11);
    for (const [i, { from, to }] of passages.entries()) {
      assert.ok(to - from > 4_000 && to - from < 30_000, `${to - from}`);
      if (i > 0) assert.ok(from - passages[i - 1].to > 10_000);
    }
  }
});

test('nights are grey and noisier, days have colour', async () => {
  const saturation = (bytes: Buffer) => {
    let sum = 0;
    for (let i = 0; i < bytes.length; i += 3)
      sum += Math.max(bytes[i], bytes[i + 1], bytes[i + 2]) - Math.min(bytes[i], bytes[i + 1], bytes[i + 2]);
    return sum / (bytes.length / 3);
  };
  assert.equal(saturation((await makeScene(options(1, 2))).paint(0)), 0);
  assert.ok(saturation((await makeScene(options(1, 12))).paint(0)) > 15);
});

test('a camera asks who one is, and sends parts that are pictures', async () => {
  const camera = await SimulatedCamera.start({ port: 0, user: 'causalis', password: 'right', signIn: 'basic' });
  const url = `http://127.0.0.1:${camera.port}/small`;
  assert.equal((await fetch(url)).status, 401);
  const wrong = await fetch(url, { headers: { authorization: `Basic ${btoa('causalis:wrong')}` } });
  assert.equal(wrong.status, 401);
  const right = await fetch(url, { headers: { authorization: `Basic ${btoa('causalis:right')}` } });
  assert.match(right.headers.get('content-type') ?? '', /^multipart\/x-mixed-replace; boundary=/);
  const reader = right.body?.getReader();
  let text = '';
  while (!text.includes('JFIF')) text += Buffer.from((await reader?.read())?.value ?? []).toString('latin1');
  assert.match(text, /Content-Type: image\/jpeg\r\nContent-Length: \d+\r\n\r\n/);
  await reader?.cancel();
  await camera.stop();
});

test('a lamp follows commands, tells its state, and counts repeats', async () => {
  const lamp = await Lamp.start({ port: 0, pagePort: 0, topic: 'lamp', title: 'Lamp' });
  const client = await connectAsync(`mqtt://127.0.0.1:${lamp.port}`);
  const told: string[] = [];
  const heard = (count: number) =>
    new Promise<void>((resolve) => {
      const look = () => (told.length >= count ? resolve() : client.once('message', () => setImmediate(look)));
      look();
    });
  client.on('message', (_, payload) => told.push(payload.toString()));
  await client.subscribeAsync('lamp/is', { qos: 1 });
  await heard(1);
  for (const payload of ['{"power":true,"key":"a"}', '{"power":true,"key":"a"}', 'nonsense', '{"power":"yes"}'])
    await client.publishAsync('lamp', payload, { qos: 1 });
  await heard(3);
  lamp.byHand(false);
  await heard(4);
  assert.deepEqual(told, ['{"power":false}', '{"power":true}', '{"power":true}', '{"power":false}']);
  assert.deepEqual(
    lamp.changes.map(({ by, times }) => [by, times]),
    [
      ['command', 1],
      ['command', 2],
      ['hand', 1],
    ],
  );
  const shown = await (await fetch(`http://127.0.0.1:${lamp.pagePort}/`)).text();
  assert.match(shown, /repeat, 2 times with this key/);
  await client.endAsync(true);
  await lamp.stop();
});

test('a call is taken only with the right signature', async () => {
  const receiver = await CallReceiver.start({ port: 0, secret: 'depot' });
  const body = '{"type":"motion.began","data":{"words":"<b>"}}';
  const now = new Date();
  const call = (secret: string) =>
    fetch(`http://127.0.0.1:${receiver.port}/in`, {
      method: 'POST',
      body,
      headers: {
        'webhook-id': 'k',
        'webhook-timestamp': String(Math.floor(now.getTime() / 1000)),
        'webhook-signature': new Webhook(Buffer.from(secret).toString('base64')).sign('k', now, body),
      },
    });
  assert.equal((await call('other')).status, 401);
  assert.equal((await call('depot')).status, 200);
  assert.deepEqual(
    receiver.calls.map(({ signed, times }) => [signed, times]),
    [
      ['wrong', 1],
      ['right', 2],
    ],
  );
  assert.match(await (await fetch(`http://127.0.0.1:${receiver.port}/`)).text(), /&#60;b&#62;/);
  await receiver.stop();
});
