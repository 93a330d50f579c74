import { CallReceiver } from './calls.js';
import { GatehouseCamera } from './camera/camera.js';
import { Lamp } from './lamp.js';
import { Mailbox } from './mailbox.js';

// All stand-ins of the demonstration site in one process. Passwords come over the fork channel, never as arguments.
interface Wanted {
  /** Their ports are counted from here. */
  readonly base: number;
  readonly gatehouse: string;
  readonly mail: string;
  readonly depot: string;
}

process.once('message', async ({ base, ...passwords }: Wanted) => {
  try {
    const running = await Promise.all([
      GatehouseCamera.start({ port: base + 1, user: 'causalis', password: passwords.gatehouse }),
      Lamp.start({ port: base + 120, pagePort: base + 121, topic: 'quillmere/drive-floods', title: 'Drive floods' }),
      Mailbox.start({ port: base + 125, pagePort: base + 124, user: 'causalis', password: passwords.mail }),
      CallReceiver.start({ port: base + 126, secret: passwords.depot }),
    ]);
    process.send?.({ kind: 'ready' });
    process.on('disconnect', async () => {
      await Promise.all(running.map((one) => one.stop()));
      process.exit(0);
    });
  } catch (error) {
    process.send?.({ kind: 'failed', reason: (error as Error).message });
  }
});
process.on('SIGINT', () => undefined);
