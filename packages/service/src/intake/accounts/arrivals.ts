import { networkInterfaces } from 'node:os';
import type { Account } from '@causalis/contract';
import type { AccountDesk, ArrivalServer } from './contract.js';
import { mailServer } from './mail.js';
import { uploadServer } from './upload.js';

/** Where arrivals are taken. Port 0 is any that is free. */
export interface ArrivalPlaces {
  readonly host: string;
  readonly uploadPort: number;
  readonly uploadDataPorts: readonly [number, number];
  readonly mailPort: number;
}
type Kind = Account['kind'];

/** The servers that cameras send to: there as long as some site has an account for them. */
export class Arrivals {
  private readonly places: ArrivalPlaces;
  private readonly desk: AccountDesk;
  private readonly kinds: () => ReadonlySet<Kind>;
  private readonly trouble: (error: unknown, what: string) => void;
  private readonly servers = new Map<Kind, ArrivalServer>();
  private turn: Promise<void> = Promise.resolve();

  constructor(places: ArrivalPlaces, desk: AccountDesk, kinds: () => ReadonlySet<Kind>, trouble: (error: unknown, what: string) => void) {
    this.places = places;
    this.desk = desk;
    this.kinds = kinds;
    this.trouble = trouble;
  }

  /** Opens what is needed now and closes what is not. */
  look(): Promise<void> {
    this.turn = this.turn.then(async () => {
      const wanted = this.kinds();
      for (const [kind, server] of this.servers) {
        if (wanted.has(kind)) continue;
        this.servers.delete(kind);
        await server.stop();
      }
      for (const kind of wanted) if (!this.servers.has(kind)) await this.open(kind);
    });
    return this.turn;
  }

  /** Host and port for a kind of account; the port is missing when nobody listens there. */
  where(kind: Kind): { readonly host: string; readonly port?: number } {
    const port = this.servers.get(kind)?.port;
    return { host: reachable(this.places.host), ...(port === undefined ? {} : { port }) };
  }

  async stop(): Promise<void> {
    await this.turn;
    await Promise.all([...this.servers.values()].map((server) => server.stop()));
  }

  private async open(kind: Kind): Promise<void> {
    const { host, uploadPort, uploadDataPorts, mailPort } = this.places;
    try {
      const server =
        kind === 'mail'
          ? await mailServer(this.desk, host, mailPort)
          : await uploadServer(this.desk, { host, port: uploadPort, data: uploadDataPorts, address: reachable(host) });
      this.servers.set(kind, server);
    } catch (error) {
      this.trouble(error, `listening for cameras that send by ${kind}`);
    }
  }
}

/** The address that a camera is told: a machine that listens everywhere says its first one outside loopback. */
function reachable(host: string): string {
  if (host !== '0.0.0.0' && host !== '::') return host;
  const all = Object.values(networkInterfaces()).flatMap((addresses) => addresses ?? []);
  return all.find(({ family, internal }) => family === 'IPv4' && !internal)?.address ?? '127.0.0.1';
}
