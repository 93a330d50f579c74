import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { CallReceiver, Lamp, Mailbox, SimulatedCamera } from '@causalis/standins';
import { gatehouseAlone } from '@causalis/start';
import type { OneService } from '../one-service.js';

const demo = fileURLToPath(new URL('../../../demo/quillmere.yaml', import.meta.url));
const passwords = { gatehouse: 'gate-pass', mail: 'mail-pass', depot: 'depot-pass' };
export const site = 'quillmere';

/** Every arrival at the desk is a firing with a call and a mail; some light the lamp for a time as well. */
const rules = `
  told:
    title: Somebody is at the desk
    active: true
    cause: { event: hook.called, at: face-desk }
    actions:
      message: { tell: keeper, words: "{who} is at the desk" }
      desk: { call: depot-desk }
  lit:
    title: Somebody wants light
    active: true
    priority: urgent
    cause: { event: hook.called, at: face-desk, label: light }
    actions:
      floods: { set: drive-floods, to: { power: true }, for: 5s }
`;

/** The stand-ins of the demonstration in this process, which no kill reaches, and the site put into force. */
export class FaultSite {
  calls!: CallReceiver;
  mailbox: Mailbox | undefined;
  lamp: Lamp | undefined;
  private camera!: SimulatedCamera;
  private mailPort = 0;
  private lampPort = 0;
  private readonly mailIds: string[] = [];
  private readonly lampKeys: string[] = [];
  private readonly keep: number;

  private constructor(keep: number) {
    this.keep = keep;
  }

  static async open(service: OneService, keep: number, camera = true): Promise<FaultSite> {
    const one = new FaultSite(keep);
    await Promise.all([one.openMailbox(), one.openLamp()]);
    one.calls = await CallReceiver.start({ port: 0, secret: passwords.depot, keep });
    if (camera)
      one.camera = await SimulatedCamera.start({
        port: 0,
        user: 'causalis',
        password: passwords.gatehouse,
        signIn: 'digest',
        hour: () => 12,
      });
    const text = `${gatehouseAlone(readFileSync(demo, 'utf8'))
      .replaceAll('127.0.0.1:7201', `127.0.0.1:${one.camera?.port ?? 9}`)
      .replaceAll('127.0.0.1:7320', `127.0.0.1:${one.lampPort}`)
      .replaceAll('port: 7325', `port: ${one.mailPort}`)
      .replaceAll('127.0.0.1:7326', `127.0.0.1:${one.calls.port}`)
      .replaceAll('http://127.0.0.1:7100', service.url)
      .replace('who: /person/name', 'who: /person/name, label: /label')
      .replaceAll('active: true', 'active: false')}${rules}`;
    const { client } = service;
    await client.call('apply', { params: { site }, body: text });
    for (const [key, value] of Object.entries(passwords)) await client.call('setSecret', { params: { site, key }, body: { value } });
    return one;
  }

  async openMailbox(): Promise<void> {
    this.mailbox = await Mailbox.start({ port: this.mailPort, pagePort: 0, user: 'causalis', password: passwords.mail, keep: this.keep });
    this.mailPort = this.mailbox.port;
  }

  async closeMailbox(): Promise<void> {
    const { mailbox } = this;
    this.mailbox = undefined;
    await mailbox?.stop();
    this.mailIds.push(...(mailbox?.mails.map(({ id }) => id) ?? []));
  }

  async openLamp(): Promise<void> {
    this.lamp = await Lamp.start({
      port: this.lampPort,
      pagePort: 0,
      topic: 'quillmere/drive-floods',
      title: 'Drive floods',
      keep: this.keep,
    });
    this.lampPort = this.lamp.port;
  }

  async closeLamp(): Promise<void> {
    const { lamp } = this;
    this.lamp = undefined;
    await lamp?.stop();
    this.lampKeys.push(...(lamp?.changes.map(({ key }) => key) ?? []));
  }

  /** What was received, by key, how often: whatever answer it got. */
  received(): Map<string, number> {
    const keys = [
      ...this.calls.calls.map(({ key }) => key),
      ...[...this.mailIds, ...(this.mailbox?.mails.map(({ id }) => id) ?? [])].map((id) => id.slice(1).split('@')[0]),
      ...[...this.lampKeys, ...(this.lamp?.changes.map(({ key }) => key) ?? [])].filter(Boolean),
    ];
    const times = new Map<string, number>();
    for (const key of keys) times.set(key, (times.get(key) ?? 0) + 1);
    return times;
  }

  async close(): Promise<void> {
    await Promise.all([this.camera?.stop(), this.lamp?.stop(), this.mailbox?.stop(), this.calls.stop()]);
  }
}
