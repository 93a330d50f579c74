import { writeFileSync } from 'node:fs';
import type { AnswerOf } from '@causalis/contract';
import { brokenText, cameraText, clockOffText, durationText, probeFailureText, whenText } from '@causalis/words';
import type { Command } from 'commander';
import { print, table } from '../print.js';
import { readSecretValue } from '../secret-value.js';
import { Complaint } from '../session.js';
import { at, verb } from './at-site.js';

export function cameraCommands(program: Command): void {
  const camera = program.command('camera').description('cameras: list, show, find, probe, follow, still, presets, look, counters, reset');
  camera
    .command('list')
    .description('each camera with its state')
    .addHelpText('after', '\nExample:\n  causalis camera list')
    .action(
      at(async ({ client, params, options }) => {
        const { items } = await client.call('cameras', { params });
        const rows = items.map(({ key, title, state }) => [
          key,
          title,
          state.width ? `${state.width}x${state.height}` : '-',
          state.rate === undefined ? '-' : `${state.rate}/s`,
          [cameraText(state), brokenText(state)].filter(Boolean).join('; '),
        ]);
        print(options, { items }, () => table(['CAMERA', 'TITLE', 'SIZE', 'RATE', 'STATE'], rows) || 'The site has no cameras yet.');
      }),
    );
  verb(camera, 'show <key>', 'a camera with each value in force and where it comes from', 'camera show gatehouse').action(
    at(async ({ client, params, site, options }, key: string) => {
      const shown = await client.call('camera', { params: { ...params, key } });
      const from = { camera: 'its own', group: `of the group ${shown.group ?? ''}`, default: 'where nobody says otherwise' };
      const rows = shown.watching.map(({ name, value, from: origin, dark }) => [dark ? `${name} in the dark` : name, value, from[origin]]);
      print(options, shown, () =>
        [
          `${shown.title} (${key}): ${cameraText(shown.state)}`,
          table(['VALUE', 'IN FORCE', 'FROM'], rows),
          ...deviceText(shown.device, site.timezone),
        ].join('\n'),
      );
    }),
  );
  camera
    .command('still <key>')
    .description('save the newest picture of a camera')
    .option('--out <file>', 'where to', 'still.jpg')
    .addHelpText('after', '\nExample:\n  causalis camera still gatehouse --out drive.jpg')
    .action(
      at(async ({ client, params, options }, key: string) => {
        const out = options.out ?? 'still.jpg';
        const answer = await client.raw('cameraStill', { params: { ...params, key } });
        const picture = Buffer.from(await answer.arrayBuffer());
        try {
          writeFileSync(out, picture);
        } catch (error) {
          throw new Complaint(`${out} cannot be written: ${(error as Error).message}`);
        }
        print(options, { file: out, bytes: picture.length }, () => `${out}: ${picture.length} bytes`);
      }),
    );
  verb(
    camera,
    'probe <kind> <address>',
    'look what answers at an address before a camera is made of it; kinds: multipart, still, rtsp, onvif, device, file',
    'camera probe rtsp rtsp://127.0.0.1:7213/small --user causalis --secret cameras',
    'camera probe onvif http://127.0.0.1:7207/onvif/device_service --user causalis --channels',
  )
    .option('--user <name>', 'who signs in; the password is asked for, or read from the standard input')
    .option('--secret <key>', 'a secret that is set, in the place of a password')
    .option('--profile <token>', 'the profile of an ONVIF device')
    .option('--channels', 'every channel of a recorder')
    .option('--out <file>', 'save the picture')
    .action(
      at(async ({ client, params, options }, kind: string, address: string) => {
        const { user, secret, profile, out } = options;
        const password = user !== undefined && secret === undefined ? await readSecretValue(`the password of ${user}`) : undefined;
        const where = kind === 'device' ? { path: address } : kind === 'file' ? { file: address } : { url: address };
        const feed = {
          kind,
          ...where,
          ...(user ? { user } : {}),
          ...(secret ? { password: { secret } } : {}),
          ...(profile ? { profile } : {}),
        };
        const body = { feed: feed as never, channels: options.channels !== undefined, ...(password === undefined ? {} : { password }) };
        const report = await client.call('probe', { params, body });
        if (out && report.picture) writeFileSync(out, Buffer.from(report.picture, 'base64'));
        print(options, report, () => probeText(report));
        if (!report.ok) process.exitCode = 1;
      }),
    );
  verb(
    camera,
    'find [host]',
    'ONVIF devices on the local network; or, at a host, likely addresses of pictures',
    'camera find',
    'camera find 192.0.2.10 --user causalis',
  )
    .option('--user <name>', 'who signs in at the host; the password is asked for, or read from the standard input')
    .action(
      at(async ({ client, params, options }, host: string | undefined) => {
        if (host === undefined) {
          const { items } = await client.call('found', { params });
          const lines = items.map(({ url, name, model, camera: key, moved }) => {
            const is = key
              ? moved
                ? `is ${key}, at another address than in the document: causalis camera follow ${key}`
                : `is ${key}`
              : 'is not in the document';
            return `${url}  ${[name, model].filter(Boolean).join(', ')}: ${is}`;
          });
          print(
            options,
            { items },
            () => lines.join('\n') || 'No ONVIF device answers on this network. Give a host to try likely addresses there.',
          );
          return;
        }
        const { user } = options;
        const password = user === undefined ? undefined : await readSecretValue(`the password of ${user}`);
        const body = { host, ...(user ? { user } : {}), ...(password === undefined ? {} : { password }) };
        const report = await client.call('paths', { params, body });
        const lines = report.found.map(({ kind, url, report: one }) => `${kind}  ${url}: ${factsText(one)}`);
        print(options, report, () => lines.join('\n') || `None of ${report.tried} likely addresses at ${host} sends pictures.`);
        if (lines.length === 0) process.exitCode = 1;
      }),
    );
  verb(camera, 'follow <key>', 'take over the address at which a camera’s device answers now', 'camera follow mast').action(
    at(async ({ client, params, options }, key: string) => {
      const report = await client.call('followCamera', { params: { ...params, key } });
      print(options, report, () =>
        report.changed.length > 0
          ? `${key} is at ${report.url} now: revision ${report.revision}`
          : `${key} is where the document says: ${report.url}`,
      );
    }),
  );
  verb(camera, 'presets <key>', 'presets of a camera’s head, and where it looks', 'camera presets mast').action(
    at(async ({ client, params, options }, key: string) => {
      const head = await client.call('head', { params: { ...params, key } });
      print(
        options,
        head,
        () => `${head.moving ? 'It moves.' : 'It stands.'} Presets: ${head.presets.map(({ name }) => name).join(', ') || 'none'}`,
      );
    }),
  );
  verb(camera, 'look <key> <preset>', 'steer a camera’s head to a preset; "home" goes home', 'camera look mast steps')
    .option('--save', 'save where it looks now as this preset instead')
    .action(
      at(async ({ client, params, options }, key: string, preset: string) => {
        const body = options.save ? { save: preset } : preset === 'home' ? { home: true as const } : { go: preset };
        const head = await client.call('steer', { params: { ...params, key }, body });
        print(options, head, () =>
          options.save ? `${preset} is saved.` : head.moving ? `It turns to ${preset}.` : `It looks at ${preset}.`,
        );
      }),
    );
  verb(camera, 'counters', 'what each counter says: in, out and inside', 'camera counters').action(
    at(async ({ client, params, options }) => {
      const { items } = await client.call('counters', { params });
      const rows = items.map(({ camera: key, mark, in: inwards, out, inside }) => [
        `${key}/${mark}`,
        String(inwards),
        String(out),
        String(inside),
      ]);
      print(
        options,
        { items },
        () => table(['COUNTER', 'IN', 'OUT', 'INSIDE'], rows) || 'No mark of the site counts. Add counter: to a line or a zone.',
      );
    }),
  );
  verb(camera, 'reset <camera> <mark>', 'let a counter begin at nothing', 'camera reset palm-house door').action(
    at(async ({ client, params, options }, key: string, mark: string) => {
      const report = await client.call('resetCounter', { params: { ...params, camera: key, mark } });
      print(options, report, () => `${key}/${mark} begins at nothing.`);
    }),
  );
}

/** What a camera's device can do beside pictures. */
function deviceText(device: AnswerOf<'camera'>['device'], timezone: string): string[] {
  if (!device) return [];
  const rows = device.reports.map(({ what, taken, last }) => [
    what,
    taken ? 'taken' : 'not taken',
    last ? whenText(last, timezone) : 'never',
  ]);
  return [
    ...(rows.length > 0 ? [table(['REPORTS BY ITSELF', 'AS EVENTS', 'LAST'], rows)] : []),
    ...(device.inputs.length > 0 ? [`Inputs: ${device.inputs.join(', ')}`] : []),
    ...(device.relays.length > 0 ? [`Relays: ${device.relays.join(', ')}`] : []),
  ];
}

const factsText = ({ maker, codec, width, height, rate }: AnswerOf<'probe'>): string =>
  [maker, codec, width ? `${width}x${height}` : undefined, rate ? `${rate}/s` : undefined].filter(Boolean).join(', ');

function probeText(report: AnswerOf<'probe'>): string {
  const { ok, device, fingerprint, tookMs, profiles } = report;
  const rows = profiles.map((one) => [
    one.token,
    one.source,
    one.codec ?? '-',
    one.width ? `${one.width}x${one.height}` : '-',
    one.ptz ? 'yes' : 'no',
  ]);
  return [
    ok ? `It answers: ${factsText(report)}. First picture after ${durationText(tookMs)}.` : `It does not: ${probeFailureText(report)}.`,
    ...clockOffText(report),
    ...(device ? [`It calls itself ${device}: write it as device: in the feed, and it is known at any address.`] : []),
    ...(fingerprint ? [`If this is its certificate, pin it in the feed: certificate: "${fingerprint}"`] : []),
    ...(rows.length > 0 ? [table(['PROFILE', 'CHANNEL', 'CODEC', 'SIZE', 'STEERED'], rows)] : []),
  ].join('\n');
}
