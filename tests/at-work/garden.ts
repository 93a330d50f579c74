import { readFile } from 'node:fs/promises';
import { CallReceiver, Lamp, Mailbox, SimulatedCamera } from '@causalis/standins';
import { freePort, gatehouseAlone } from '@causalis/start';
import { ServiceAtWork, site } from './service.js';

export const passwords = { gatehouse: 'gate-pass', mail: 'mail-pass', depot: 'depot-pass' };

export interface GardenOptions {
  /** Without a camera the site starts at once and nothing moves by itself. */
  readonly camera?: { readonly signIn?: 'basic' | 'digest'; readonly hour?: number };
  /** Changes of the demonstration's document. */
  readonly document?: (text: string) => string;
  readonly databaseUrl?: string;
  /** Settings of the service's process. */
  readonly env?: Record<string, string>;
}

/** The demonstration site with its stand-ins, each on a port of its own. */
export class Garden {
  camera: SimulatedCamera | undefined;
  lamp!: Lamp;
  mailbox: Mailbox | undefined;
  calls!: CallReceiver;
  service!: ServiceAtWork;
  document = '';
  private mailPort = 0;
  private lampPort = 0;

  static async open(options: GardenOptions = {}): Promise<Garden> {
    const garden = new Garden();
    await Promise.all([garden.openLamp(), garden.openMailbox()]);
    garden.calls = await CallReceiver.start({ port: 0, secret: passwords.depot });
    const hour = options.camera?.hour ?? 12;
    if (options.camera)
      garden.camera = await SimulatedCamera.start({
        port: 0,
        user: 'causalis',
        password: passwords.gatehouse,
        signIn: options.camera.signIn ?? 'digest',
        hour: () => hour,
      });
    garden.service = await ServiceAtWork.start(options.databaseUrl, undefined, options.env);
    const demo = await readFile(new URL('../../../demo/quillmere.yaml', import.meta.url), 'utf8');
    const ported = gatehouseAlone(demo)
      // The pictures have an hour of their own: nothing may hang on where the sun is while the tests run.
      .replace(/^ {2}position:.*\n/m, '')
      .replaceAll('127.0.0.1:7201', `127.0.0.1:${garden.camera?.port ?? (await freePort())}`)
      .replaceAll('127.0.0.1:7320', `127.0.0.1:${garden.lampPort}`)
      .replaceAll('port: 7325', `port: ${garden.mailPort}`)
      .replaceAll('127.0.0.1:7326', `127.0.0.1:${garden.calls.port}`)
      .replaceAll('http://127.0.0.1:7100', garden.service.url);
    garden.document = options.document ? options.document(ported) : ported;
    try {
      await garden.service.client.call('apply', { params: { site }, body: garden.document });
    } catch (error) {
      // What was opened would keep a test from ending.
      await garden.close();
      throw error;
    }
    for (const [key, value] of Object.entries(passwords).filter(([key]) => garden.document.includes(`secret: ${key} `)))
      await garden.service.client.call('setSecret', { params: { site, key }, body: { value } });
    return garden;
  }

  async openMailbox(): Promise<void> {
    this.mailbox = await Mailbox.start({ port: this.mailPort, pagePort: 0, user: 'causalis', password: passwords.mail });
    this.mailPort = this.mailbox.port;
  }

  async closeMailbox(): Promise<void> {
    await this.mailbox?.stop();
    this.mailbox = undefined;
  }

  async openLamp(): Promise<void> {
    this.lamp = await Lamp.start({ port: this.lampPort, pagePort: 0, topic: 'quillmere/drive-floods', title: 'Drive floods' });
    this.lampPort = this.lamp.port;
  }

  async close(): Promise<void> {
    await this.service.remove();
    await Promise.all([this.camera?.stop(), this.lamp.stop(), this.mailbox?.stop(), this.calls.stop()]);
  }

  /** Somebody on the drive, as an event sent by hand; the same `once` is the same visit, however often it is sent. */
  async visit(once: string = crypto.randomUUID()): Promise<string> {
    return await this.service.send('motion.began', 'cameras/gatehouse', { mark: 'drive' }, once);
  }
}
