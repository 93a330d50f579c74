import assert from 'node:assert/strict';
import { after, before, test } from 'node:test';
import { ask } from './at-work/database.js';
import { Garden } from './at-work/garden.js';
import { site } from './at-work/service.js';

// Who is there is known by a badge or a hook, each with its grace; rules see it, and the last to leave is an event.
let garden: Garden;
const rules = `
  alone:
    title: Somebody on the drive while nobody is there
    active: true
    cause: { event: motion.began, at: gatehouse }
    guards: [{ present: nobody }]
  kept:
    title: Somebody on the drive while the keeper is there
    active: true
    cause: { event: motion.began, at: gatehouse }
    guards: [{ present: [keeper, gardener] }]
  last-left:
    title: Somebody left
    active: true
    cause: { event: member.left }
`;
before(async () => {
  garden = await Garden.open({
    document: (text) =>
      `${text.replace(
        '\nschedules:',
        `  gardener: { name: Head gardener, ways: [{ mail: gardener@quillmere.example, over: mail }], presence: { hook: face-desk, who: Ada Marsh, grace: 30m } }

schedules:`,
      )}${rules}`,
  });
});
after(() => garden.close());

const firedOn = async () => {
  const chain = await garden.service.chain(await garden.visit());
  return chain.verdicts.filter(({ verdict, rule }) => verdict === 'fired' && ['alone', 'kept'].includes(rule)).map(({ rule }) => rule);
};
const badge = (reading: string) => garden.service.send('input.changed', 'inputs/keeper-badge', { reading });
const told = async () => {
  const { items } = await garden.service.client.call('events', { params: { site }, query: { limit: 100 } });
  return items.filter(({ kind }) => kind.startsWith('member.')).map(({ kind, data }) => `${kind} ${data.who} ${data.count}`);
};
const toldAre = (n: number) =>
  garden.service.when(
    told,
    (all) => all.length === n,
    ({ kind }) => kind === 'event',
  );

test('a badge and a known face make somebody present; who is not seen any more has their grace; the last is told', async () => {
  assert.deepEqual(await firedOn(), ['alone']);
  await badge('in');
  assert.deepEqual(await firedOn(), ['kept']);
  await garden.service.send('hook.called', 'hooks/face-desk', { who: 'Somebody else' });
  await garden.service.send('hook.called', 'hooks/face-desk', { who: 'Ada Marsh' });
  assert.deepEqual(await told(), ['member.arrived Head gardener 2', 'member.arrived Keeper on duty 1']);

  await badge('out');
  assert.deepEqual(await firedOn(), ['kept'], 'the grace is not over');
  await badge('in');
  await garden.service.after(11 * 60_000);
  assert.equal((await told()).length, 2, 'who came back within the grace never left');
  await badge('out');
  await garden.service.after(11 * 60_000);
  assert.equal((await toldAre(3))[0], 'member.left Keeper on duty 1');
  await garden.service.down();
  await garden.service.up();
  await garden.service.after(11 * 60_000);
  assert.equal((await toldAre(4))[0], 'member.left Head gardener 0');
  assert.deepEqual(await firedOn(), ['alone']);
});

test('however often somebody is seen, one timer waits for them', async () => {
  const timers = async () => {
    const rows = await ask<{ n: bigint | number }>(garden.service.databaseUrl, "SELECT COUNT(*) AS n FROM state WHERE name LIKE 'timer/%'");
    return Number(rows[0].n);
  };
  const before = await timers();
  for (let i = 0; i < 20; i++) await garden.service.send('hook.called', 'hooks/face-desk', { who: 'Ada Marsh' });
  assert.equal(await timers(), before + 1);
  await garden.service.after(20 * 60_000);
  await garden.service.send('hook.called', 'hooks/face-desk', { who: 'Ada Marsh' });
  await garden.service.after(15 * 60_000);
  assert.deepEqual(await firedOn(), ['kept'], 'seen again in between, she is still there');
  const left = (await told()).filter((line) => line.startsWith('member.left Head gardener')).length;
  await garden.service.after(20 * 60_000);
  await garden.service.when(
    told,
    (all) => all.filter((line) => line.startsWith('member.left Head gardener')).length === left + 1,
    ({ kind }) => kind === 'event',
  );
});

test('a presence that nothing can tell is refused with its mend', async () => {
  const wrong = garden.document.replace('presence: { input: keeper-badge, is: in', 'presence: { input: keeper-bagde, is: in');
  const { findings } = await garden.service.client.call('check', { params: { site }, body: wrong });
  assert.ok(
    findings.some(({ code, values }) => code === 'unknown-name' && values.near === 'keeper-badge'),
    JSON.stringify(findings.slice(0, 3)),
  );
});
