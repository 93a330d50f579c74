import { mkdir } from 'node:fs/promises';
import { BlockList } from 'node:net';
import pino from 'pino';
import { type ClockShift, SystemClock } from './clock.js';
import { readConfig } from './config.js';
import { Figures } from './figures.js';
import { freeBytes } from './files.js';
import { firstStart, forgetFirstSignIn } from './first-start.js';
import { newId } from './ids.js';
import { Arrivals } from './intake/accounts/arrivals.js';
import { accountDesk } from './intake/accounts/desk.js';
import { Keeping } from './keeping.js';
import { thisProcess } from './lease.js';
import { answers, openDatabase } from './ledger/database.js';
import { writeLocalKey } from './local-key.js';
import { endAtMoment } from './moments.js';
import { openKey } from './secrets/vault.js';
import { Sites } from './sites.js';
import { startTroubleText } from './start-trouble.js';
import type { FromService, ToService } from './test-channel.js';
import { Access } from './web/access.js';
import { buildServer } from './web/server.js';

const version = '0.2.0';
const config = readConfig(process.env);
const log = pino(
  { level: config.logLevel, redact: ['req.headers.authorization', 'req.headers.cookie'] },
  pino.destination({ dest: config.logFile ?? 2, sync: false, mkdir: true, mode: 0o600 } as never),
);
const trouble = (error: unknown, what: string): void => {
  log.error({ err: error }, what);
};

/** The composition root: the only place where the parts of the service are tied together. */
async function main(): Promise<void> {
  await mkdir(config.home, { recursive: true, mode: 0o700 });
  const clock = new SystemClock();
  let ready = false;
  let bytes: number | undefined;
  let shifted: ClockShift | undefined;
  let sites: Sites | undefined;
  if (process.send)
    process.on('message', (message: ToService) => {
      if (message.kind === 'shift') {
        clock.shift(message.shift);
        shifted = message.shift;
        for (const site of sites?.all ?? []) site.shiftClock(shifted);
      } else if (message.kind === 'room') bytes = message.bytes;
      else endAtMoment(message.moment);
      // What is said before it is ready is heard with the start.
      if (ready) process.send?.({ kind: 'heard' } satisfies FromService);
    });
  const database = await openDatabase(config.databaseUrl, clock.wall());
  const key = await openKey(config.home);
  const localKey = await writeLocalKey(config.home);

  /** Link-local addresses (RFC 3927, RFC 4291 §2.5.6) reach into the machine's own surroundings, never a device of the site. */
  const forbidden = new BlockList();
  forbidden.addSubnet('169.254.0.0', 16, 'ipv4');
  forbidden.addSubnet('fe80::', 10, 'ipv6');
  let listening = config.port;
  const ownPorts = () => [listening, Number(new URL(config.databaseUrl.replace(/^mariadb/, 'http')).port || 3306)];

  const figures = new Figures(
    () => (sites?.all ?? []).flatMap((site) => [...site.inHand].map(([output, count]) => [site.key, output, count] as const)),
    () => answers(database),
  );
  const run = newId();
  let url = '';
  const carried = new Sites({
    database,
    clock,
    home: config.home,
    key,
    process: run,
    holder: () => thisProcess(run, url),
    leaseMs: config.leaseMs,
    callRules: { forbidden, ownPorts },
    room: async () => bytes ?? freeBytes(config.home),
    trouble,
    figures,
    documentChanged: () => void arrivals.look(),
    note: (facts, what) => log.info(facts, what),
  });
  sites = carried;
  const arrivals = new Arrivals(
    config,
    accountDesk({ database, clock, sites: carried }),
    () => new Set(carried.all.flatMap(({ document }) => Object.values(document.accounts).map(({ kind }) => kind))),
    trouble,
  );
  const access = new Access(database, clock);

  const names = (): ReadonlySet<string> =>
    new Set([
      ...config.names,
      ...carried.all.flatMap(({ document }) => (document.site.addresses?.inside ? [new URL(document.site.addresses.inside).hostname] : [])),
    ]);
  const app = await buildServer(
    {
      database,
      clock,
      sites: carried,
      access,
      figures,
      arrivals,
      version,
      started: new Date(clock.wall()),
      localKey,
      forgetFirstSignIn: (user) => forgetFirstSignIn(config.home, user),
      ledgerAnswers: () => answers(database),
    },
    log,
    names,
  );

  await app.listen({ host: config.host, port: config.port });
  const address = app.server.address();
  listening = typeof address === 'object' && address ? address.port : config.port;
  url = `http://${config.host.includes(':') ? `[${config.host}]` : config.host}:${listening}`;
  await firstStart(database, config.home, () => url, new Date(clock.wall()));
  await carried.start();
  await arrivals.look();
  if (shifted) for (const site of carried.all) site.shiftClock(shifted);

  const keeping = new Keeping({
    database,
    databaseUrl: config.databaseUrl,
    clock,
    home: config.home,
    days: config.keepDays,
    sites: () => carried.all,
    trouble,
  });
  keeping.start();

  let ending = false;
  async function end(): Promise<void> {
    if (ending) return;
    ending = true;
    await app.close();
    await arrivals.stop();
    await keeping.stop();
    await carried.stop();
    await database.sequelize.close();
    process.exit(0);
  }
  process.on('SIGTERM', () => void end());
  process.on('SIGINT', () => void end());
  process.on('unhandledRejection', (error) => trouble(error, 'unhandled'));

  if (process.send) {
    process.on('disconnect', () => void end());
    ready = true;
    process.send({ kind: 'ready', url } satisfies FromService);
  }
  log.info({ url }, 'ready');
}

main().catch((error: unknown) => {
  const reason = startTroubleText(error, config);
  if (reason === undefined) trouble(error, 'starting');
  const said = reason ?? `The service could not start: ${(error as Error).message}`;
  if (process.send) process.send({ kind: 'refused', reason: said } satisfies FromService, () => process.exit(1));
  else {
    process.stderr.write(`${said}\n`);
    process.exit(1);
  }
});
