import path from 'node:path';
import { Writable } from 'node:stream';
import { plainLine } from '@causalis/contract';
import ftp, { type FtpConnection } from 'ftp-srv';
import pino from 'pino';
import { type AccountDesk, ArrivalRefused, type ArrivalServer, mostArrivalBytes, type SignedIn } from './contract.js';

// It is a CommonJS module: its classes are on what it exports as a whole.
const { FileSystem, FtpSrv } = ftp;

const idleMs = 120_000;
/** What a camera needs to bring a file: everything else is not known. Connections back to the camera (PORT) could be turned against others. */
const notKnown = ['PORT', 'EPRT', 'SITE', 'RETR', 'APPE', 'STOU', 'REST'];

export interface UploadPlace {
  readonly host: string;
  readonly port: number;
  /** Ports for the files themselves (RFC 1579, passive), from and to. */
  readonly data: readonly [number, number];
  /** The address under which cameras reach it. */
  readonly address: string;
}

/** Takes files of cameras that sign in with an account of ours (FTP, RFC 959 and 2428). Nothing can be read or listed back. */
export async function uploadServer(desk: AccountDesk, { host, port, data, address }: UploadPlace): Promise<ArrivalServer> {
  const signals = ['SIGTERM', 'SIGINT', 'SIGQUIT'] as const;
  const before = signals.map((signal) => process.listeners(signal));
  const server = new FtpSrv({
    url: `ftp://${host}:${port}`,
    pasv_url: address,
    pasv_min: data[0],
    pasv_max: data[1],
    greeting: 'Causalis',
    blacklist: notKnown,
    timeout: idleMs,
    log: pino({ level: 'silent' }),
  });
  // The library ends the process at these signals, in its own order: ours is another.
  signals.forEach((signal, i) => {
    for (const listener of process.listeners(signal)) if (!before[i].includes(listener)) process.off(signal, listener);
  });
  server.on('login', ({ connection, username, password }, resolve, reject) => {
    desk.enter('upload', username, password, connection.ip).then(
      (who) => (who ? resolve({ fs: new Desk(connection, desk, who) }) : reject(new Error('Name or password is wrong'))),
      () => reject(new Error('Not now; try again')),
    );
  });
  // A camera that breaks off is no trouble of ours.
  server.on('client-error', () => undefined);
  (server as unknown as { on(event: string, listener: () => void): void }).on('server-error', () => undefined);
  await server.listen();
  const bound = (server as unknown as { server: { address(): { port: number } } }).server.address();
  return {
    port: bound.port,
    stop: async () => {
      await server.close();
    },
  };
}

/** The folders of an account as its camera sees them: it may go anywhere, and only pictures in its own folder are taken. */
class Desk extends FileSystem {
  private readonly desk: AccountDesk;
  private readonly who: SignedIn;
  private here = '/';

  constructor(connection: FtpConnection, desk: AccountDesk, who: SignedIn) {
    super(connection, { root: '/', cwd: '/' });
    this.desk = desk;
    this.who = who;
  }

  override currentDirectory(): string {
    return this.here;
  }

  override async chdir(to = '.'): Promise<string> {
    this.here = this.at(to);
    return this.here;
  }

  override async mkdir(name: string): Promise<string> {
    return this.at(name);
  }

  override async list(): Promise<[]> {
    return [];
  }

  override async get(): Promise<never> {
    throw new Error('Not there');
  }

  override async read(): Promise<never> {
    throw new Error('Not allowed');
  }

  /** Cameras write under another name first and give a file its own one when it is whole: it has been taken already. */
  override async rename(): Promise<void> {}
  override async delete(): Promise<void> {}
  override async chmod(): Promise<void> {}

  override write(name: string): { stream: Writable; clientPath: string } {
    const whole = this.at(name);
    const { desk, who, connection } = this;
    const parts: Buffer[] = [];
    let length = 0;
    const take = async (): Promise<void> => {
      try {
        const inside = who.folder === '/' || path.posix.dirname(whole) === who.folder || whole.startsWith(`${who.folder}/`);
        if (!inside) throw new ArrivalRefused('wrong-folder');
        if (length > mostArrivalBytes) throw new ArrivalRefused('too-large');
        await desk.arrived(who, {
          address: connection.ip,
          pictures: [Buffer.concat(parts)],
          file: plainLine(whole, 200),
        });
      } catch (error) {
        if (!(error instanceof ArrivalRefused)) throw new Error('Not now; try again');
        await desk.refuse(who, connection.ip, error.code);
        throw new Error('Not taken');
      }
    };
    const stream = new Writable({
      write(bytes: Buffer, _, done) {
        length += bytes.length;
        // What is beyond the bound is counted and not kept.
        if (length <= mostArrivalBytes) parts.push(bytes);
        done();
      },
      // The camera is told that it is taken when it is kept, not before.
      final(done) {
        take().then(() => done(), done);
      },
    });
    return { stream, clientPath: whole };
  }

  private at(name: string): string {
    return path.posix.resolve('/', this.here, name.replaceAll('\\', '/')).slice(0, 400);
  }
}
