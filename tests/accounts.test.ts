import assert from 'node:assert/strict';
import { createConnection, type Socket } from 'node:net';
import { after, before, test } from 'node:test';
import type { AnswerOf } from '@causalis/contract';
import { mail, makePlace, places, type SendsTo, toJpeg, upload } from '@causalis/standins';
import { causalis } from './at-work/command-line.js';
import { Garden } from './at-work/garden.js';
import { site } from './at-work/service.js';

// A camera that can only send: an account for uploads and one for mail are made for it and typed into it.
let garden: Garden;
let picture: Buffer;
const size = [640, 360] as const;
const documented = `
  nursery:
    title: Nursery
    feeds: { main: { kind: pushed, expect: 10m } }
    marks: { neighbour: { private: [[0, 0.1], [0.3, 0.1], [0.3, 0.34], [0, 0.34]] } }
`;
const accounts = `
accounts:
  nursery-uploads: { kind: upload, camera: nursery, folder: /nursery }
  nursery-mail: { kind: mail, camera: nursery }
`;
before(async () => {
  garden = await Garden.open({
    document: (text) => text.replace('\ninputs:', `${documented}\ninputs:`).replace('\noutputs:', `${accounts}\noutputs:`),
  });
  const place = await makePlace(places.nursery, { seed: 1, width: size[0], height: size[1], lengthMs: 60_000, hourAt: () => 12 });
  picture = toJpeg(place.paint(1_000), ...size);
});
after(() => garden.close());

const params = { site };
type Issued = AnswerOf<'issueAccount'>;
const issue = (key: string): Promise<Issued> => garden.service.client.call('issueAccount', { params: { ...params, key } });
const asTyped = ({ host, port, user, password, folder }: Issued): SendsTo => ({
  host,
  port: port ?? 0,
  user,
  password,
  ...(folder ? { folder } : {}),
});
const sources = () => garden.service.client.call('sources', { params });
const refused = async () => (await garden.service.client.call('refused', { params, query: { limit: 50 } })).items;
const reported = async () => (await garden.service.client.call('events', { params, query: { limit: 50, kind: 'camera.reported' } })).items;

test('each upload and each mail is an event with its picture, without what is private', async () => {
  const [uploads, mails] = [asTyped(await issue('nursery-uploads')), asTyped(await issue('nursery-mail'))];
  await upload(uploads, 'visit-0001.jpg', picture);
  await mail(mails, 'Motion at the nursery', [picture, picture]);
  const [byMail, byUpload] = await reported();
  assert.deepEqual(byUpload.data, { account: 'nursery-uploads', file: '/nursery/visit-0001.jpg' });
  assert.deepEqual(byMail.data, { account: 'nursery-mail', file: 'picture-1.jpg', words: 'Motion at the nursery' });
  for (const { still, source } of [byMail, byUpload]) {
    assert.deepEqual(source, { section: 'cameras', key: 'nursery' });
    const kept = await garden.service.client.raw('media', { params: { ...params, id: still ?? '' } });
    const jpeg = (await import('@julusian/jpeg-turbo')).default;
    const { data, width } = jpeg.decompressSync(Buffer.from(await kept.arrayBuffer()), { format: jpeg.FORMAT_GRAY });
    const at = (x: number, y: number) => data[Math.round(y * 360) * width + Math.round(x * 640)];
    assert.ok(at(0.15, 0.2) < 60 && at(0.6, 0.2) > 60, 'the private area is burnt in, the rest is there');
  }
  const { items } = await garden.service.client.call('cameras', { params });
  assert.equal(items.find(({ key }) => key === 'nursery')?.state.state, 'live');
  const { accounts: now } = await sources();
  assert.ok(now.every(({ last }) => last !== undefined));
});

test('what is not taken is listed with the reason, and the camera learns none', async () => {
  const [uploads, mails] = [asTyped(await issue('nursery-uploads')), asTyped(await issue('nursery-mail'))];
  const before = (await reported()).length;
  const tries: readonly (readonly [reason: string, job: () => Promise<void>])[] = [
    ['wrong-password', () => upload({ ...uploads, password: 'guessed' }, 'a.jpg', picture)],
    ['wrong-folder', () => upload({ ...uploads, folder: '/elsewhere' }, 'a.jpg', picture)],
    ['wrong-folder', () => upload({ ...uploads, folder: '/nursery' }, '../a.jpg', picture)],
    ['empty-file', () => upload(uploads, 'a.jpg', Buffer.alloc(0))],
    ['no-picture', () => upload(uploads, 'a.jpg', Buffer.from('GIF89a and more'))],
    ['broken-off', () => upload(uploads, 'a.jpg', picture.subarray(0, picture.length / 2))],
    ['no-picture', () => upload(uploads, 'a.jpg', Buffer.from([0xff, 0xd8, 0xff, 0xd9]))],
    ['wrong-password', () => mail({ ...mails, password: 'guessed' }, 'x', [picture])],
    ['other-kind', () => mail({ ...mails, user: uploads.user, password: uploads.password }, 'x', [picture])],
    ['empty-file', () => mail(mails, 'x', [Buffer.alloc(0)])],
    ['too-large', () => upload(uploads, 'a.jpg', Buffer.concat([picture, Buffer.alloc(9_000_000)]))],
    ['too-large', () => mail(mails, 'x', [Buffer.concat([picture, Buffer.alloc(13_000_000)])])],
  ];
  for (const [reason, job] of tries) {
    await assert.rejects(job, (error: Error) => {
      assert.match(error.message, /not taken|wrong|5\d\d/i);
      assert.doesNotMatch(error.message, /folder|empty|kind/i, 'why is for the integrator');
      return true;
    });
    const [newest] = await refused();
    assert.equal(newest.reason, reason);
    assert.match(newest.address, /^127\.0\.0\.1$/);
  }
  assert.equal((await reported()).length, before, 'nothing of it became an event');
  const { out } = await causalis(garden.service.home, ['source', 'refused']);
  assert.match(out, /into another folder than the account/);
  assert.match(out, /an empty file/);
  assert.match(out, /wrong password/);

  const unlisted = (await refused()).length;
  await assert.rejects(() => upload({ ...uploads, user: 'quillmere.nobody' }, 'a.jpg', picture), /Name or password is wrong/);
  await assert.rejects(() => upload({ ...uploads, user: 'somebody' }, 'a.jpg', picture), /Name or password is wrong/);
  assert.equal((await refused()).length, unlisted, 'names that nobody has are not listed');
});

test('all but the password can be read again; a new one ends the old; ended ones are refused', async () => {
  const first = asTyped(await issue('nursery-uploads'));
  await garden.service.down();
  await garden.service.up();
  const { accounts: after } = await sources();
  const read = after.find(({ key }) => key === 'nursery-uploads');
  assert.deepEqual([read?.host, read?.user, read?.folder, read?.kind], [first.host, first.user, first.folder, 'upload']);
  assert.ok(read?.issued && !('password' in read));
  const again = { ...first, port: read.port ?? 0 };
  await upload(again, 'b.jpg', picture);
  const { out } = await causalis(garden.service.home, ['account', 'issue', 'nursery-uploads']);
  const password = /password {2}(\S+)/.exec(out)?.[1] ?? '';
  assert.match(password, /^[a-zA-Z2-9]{20}$/);
  await assert.rejects(() => upload(again, 'c.jpg', picture));
  await upload({ ...again, password }, 'c.jpg', picture);
  assert.equal((await causalis(garden.service.home, ['account', 'revoke', 'nursery-uploads'])).code, 0);
  await assert.rejects(() => upload({ ...again, password }, 'd.jpg', picture));
  assert.equal((await refused())[0].reason, 'no-password-issued');
});

test('a camera that promised to send and does not is lost; one that sends is back', async () => {
  await garden.service.after(15 * 60_000);
  const lost = () => garden.service.client.call('events', { params, query: { limit: 5, kind: 'camera.lost', source: 'nursery' } });
  await garden.service.when(lost, ({ items }) => items.length === 1);
  await upload(asTyped(await issue('nursery-uploads')), 'e.jpg', picture);
  const { items } = await garden.service.client.call('events', { params, query: { limit: 2, source: 'nursery' } });
  assert.deepEqual(new Set(items.map(({ kind }) => kind)), new Set(['camera.restored', 'camera.reported']));
});

test('the last call of a hook stands beside what was taken of it', async () => {
  const { address } = await garden.service.client.call('issueHook', { params: { ...params, key: 'face-desk' } });
  const call = (body: string) => fetch(address, { method: 'POST', body });
  assert.equal((await call('{"person":{"name":"Ada Marsh"},"score":0.83,"door":"east\\u001b[2J"}')).status, 200);
  const read = async () => (await sources()).hooks.find(({ key }) => key === 'face-desk');
  const taken = await read();
  assert.ok(taken?.issued);
  assert.deepEqual(taken.lastCall?.took, { who: 'Ada Marsh', sure: 0.83 });
  assert.match(taken.lastCall?.body ?? '', /"door":"east/);
  assert.equal((await call('not json')).status, 404);
  assert.deepEqual([(await read())?.lastCall?.refused, (await read())?.lastCall?.body], ['not-json', 'not json']);
});

test('garbage at both ports harms nobody', async () => {
  const { accounts: all } = await sources();
  for (const { host, port } of all)
    for (const said of [
      '\0\0\0\r\n',
      `USER ${'x'.repeat(100_000)}\r\n`,
      'EHLO x\r\nMAIL FROM:<a@b>\r\nRCPT TO:<c@d>\r\nDATA\r\n',
      'STOR x\r\nPASV\r\nRETR /etc/passwd\r\n',
    ])
      await new Promise<void>((resolve, reject) => {
        const line: Socket = createConnection(port ?? 0, host, () => line.end(said));
        line
          .on('close', () => resolve())
          .on('error', reject)
          .resume();
      }).catch(() => undefined);
  const mails = asTyped(await issue('nursery-mail'));
  await mail(mails, 'Still there', []);
  assert.equal((await reported())[0].data.words, 'Still there', 'a mail without a picture is an event too');
});
