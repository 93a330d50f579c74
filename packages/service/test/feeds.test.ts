import assert from 'node:assert/strict';
import { test } from 'node:test';
import { answerChallenge } from '../src/intake/feeds/http-auth.js';
import { PartCutter } from '../src/intake/feeds/parts.js';
import { readHookCall } from '../src/intake/hook.js';
import { decodeGrey, encodeAfresh } from '../src/intake/watcher/jpeg.js';
import { PictureRing } from '../src/intake/watcher/ring.js';

const pictures = ['first', 'a second one', 'third \r\n--almost'].map((text) => Buffer.from(text));

function body(withLength: boolean): Buffer {
  return Buffer.concat([
    Buffer.from('a preamble\r\n'),
    ...pictures.map((picture) =>
      Buffer.concat([
        Buffer.from(`--frame\r\nContent-Type: image/jpeg\r\n${withLength ? `Content-Length: ${picture.length}\r\n` : ''}\r\n`),
        picture,
        Buffer.from('\r\n'),
      ]),
    ),
    Buffer.from('--frame--\r\n'),
  ]);
}

test('parts are cut out the same however the bytes come', () => {
  for (const withLength of [true, false]) {
    for (const size of [1, 2, 3, 7, 1000]) {
      const cutter = new PartCutter('frame');
      const whole = body(withLength);
      const found: Buffer[] = [];
      for (let at = 0; at < whole.length; at += size) found.push(...cutter.push(whole.subarray(at, at + size)));
      assert.deepEqual(found.map(String), pictures.map(String), `${size} bytes at a time`);
    }
  }
});

test('a part with a length is handed over with its last byte', () => {
  const cutter = new PartCutter('--frame');
  assert.deepEqual(cutter.push(Buffer.from('--frame\r\nContent-Length: 5\r\n\r\nfirst')).map(String), ['first']);
});

test('a stream without an end of its header is given up', () => {
  const cutter = new PartCutter('frame');
  assert.throws(() => cutter.push(Buffer.concat([Buffer.from('--frame'), Buffer.alloc(20_000, 65)])), { code: 'wrong-type' });
  assert.throws(() => new PartCutter('frame').push(Buffer.from('--frame\r\nContent-Length: 99999999\r\n\r\n')), { code: 'wrong-type' });
});

test('digest answers are those of RFC 7616 §3.9.1', () => {
  const challenge =
    'Digest realm="http-auth@example.org", qop="auth, auth-int", algorithm=MD5, nonce="7ypf/xlj9XXwfDPEoM4URrv/xwf94BcCAzFZH4GiTo0v", opaque="FQhe/qaU925kfnzjCev0ciny7QMkPqMAFRtzCUYo5tdS"';
  const answer = (header: string) =>
    answerChallenge(header, 'GET', '/dir/index.html', 'Mufasa', 'Circle of Life', 'f2/wE4q74E6zIJEtWaHKaf5wv/H5QzzpXusqGemxURZJ') ?? '';
  assert.match(answer(challenge), /response="8ca523f5e9506fed4657c9700eebdbec"/);
  assert.match(answer(challenge.replace('MD5', 'SHA-256')), /response="753927fa0e85d155564e2e272a28d1802ca10daf4496794697cf8db5856cb6c1"/);
  assert.equal(answerChallenge('Basic realm="x"', 'GET', '/', 'a', 'b'), 'Basic YTpi');
  assert.match(answer(`Basic realm="x", ${challenge}`), /^Digest /, 'digest comes before basic');
  assert.equal(answerChallenge('Negotiate', 'GET', '/', 'a', 'b'), undefined);
});

test('what is no picture is named and never decoded', () => {
  assert.deepEqual(decodeGrey(Buffer.from('hello')), { wrong: 'no JPEG: begins with 68656c6c' });
  const header = (width: number, height: number) =>
    Buffer.from([
      0xff,
      0xd8,
      0xff,
      0xc0,
      0,
      17,
      8,
      height >> 8,
      height & 255,
      width >> 8,
      width & 255,
      3,
      1,
      0x22,
      0,
      2,
      0x11,
      1,
      3,
      0x11,
      1,
      0xff,
      0xd9,
    ]);
  assert.deepEqual(decodeGrey(header(20_000, 20_000)), { wrong: 'too large: 20000 × 20000' });
  assert.ok('wrong' in decodeGrey(header(64, 64)));
  assert.equal(encodeAfresh(Buffer.from('hello'), 80), undefined);
});

test('the ring gives the nearest picture and keeps its bounds', () => {
  const ring = new PictureRing(1_000, 1_000);
  for (let at = 0; at <= 2_000; at += 250) ring.push({ jpeg: Buffer.alloc(10), at });
  assert.equal(ring.nearest(1_120, 300)?.at, 1_000);
  assert.equal(ring.nearest(0, 300), undefined);
});

test('a hook takes its fields by pointer and refuses what it must', () => {
  const hook = { methods: ['POST' as const], networks: ['127.0.0.0/8'], take: { who: '/person/name', sure: '/score' } };
  const call = (body: string, more = {}) => readHookCall(hook, { method: 'POST', address: '127.0.0.1', body: Buffer.from(body), ...more });
  assert.deepEqual(call('{"person":{"name":"Head\\ngardener"},"score":0.9}'), { data: { who: 'Head gardener', sure: 0.9 } });
  assert.deepEqual(call('{"score":"lots"}'), { data: {} });
  assert.deepEqual(call('nothing'), { refused: 'not-json' });
  assert.deepEqual(call('{}', { method: 'GET' }), { refused: 'method' });
  assert.deepEqual(call('{}', { address: '10.0.0.1' }), { refused: 'network' });
  assert.deepEqual(call('{"__proto__":{"name":"x"}}'), { data: {} });
});
