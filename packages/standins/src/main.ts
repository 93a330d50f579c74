import { CallReceiver } from './calls.js';
import { GatehouseCamera } from './camera/camera.js';
import { Lamp } from './lamp.js';
import { Mailbox } from './mailbox.js';

// All stand-ins of the demonstration site in one process. Passwords come over the fork channel, never as arguments.
interface Passwords {
  readonly gatehouse: string;
  readonly mail: string;
  readonly depot: string;
}

process.once('message', async (passwords: Passwords) => {
  try {
    const running = await Promise.all([
      GatehouseCamera.start({ port: 7201, user: 'causalis', password: passwords.gatehouse }),
      Lamp.start({ port: 7320, pagePort: 7321, topic: 'quillmere/drive-floods', title: 'Drive floods' }),
      Mailbox.start({ port: 7325, pagePort: 7324, user: 'causalis', password: passwords.mail }),
      CallReceiver.start({ port: 7326, secret: passwords.depot }),
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
