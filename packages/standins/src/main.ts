import { CallReceiver } from './calls.js';
import { SimulatedCamera } from './camera/camera.js';
import type { Sends } from './camera/sender.js';
import { Lamp } from './lamp.js';
import { Mailbox } from './mailbox.js';
import { Recogniser } from './recogniser.js';

// All stand-ins of the demonstration site in one process. Passwords come over the fork channel, never as arguments.
interface Wanted {
  /** Their ports are counted from here. */
  readonly base: number;
  readonly gatehouse: string;
  /** Of the mast, and of all the other cameras. */
  readonly mast: string;
  readonly cameras: string;
  readonly mail: string;
  readonly depot: string;
  /** Where the nursery's old camera sends to, once it is known. */
  readonly nurserySends?: Sends;
}

process.once('message', async ({ base, nurserySends = {}, ...passwords }: Wanted) => {
  const user = 'causalis';
  try {
    const running = await Promise.all([
      SimulatedCamera.start({ port: base + 1, user, password: passwords.gatehouse }),
      // The mast can be steered and speaks ONVIF; palm house and pond stream; the vault answers with stills; the recorder
      // has four channels and a clock that is two hours ahead.
      SimulatedCamera.start({ port: base + 2, rtspPort: base + 12, user, password: passwords.mast, place: 'mast', steered: true }),
      SimulatedCamera.start({ port: base + 3, rtspPort: base + 13, user, password: passwords.cameras, place: 'palm-house' }),
      SimulatedCamera.start({ port: base + 4, user, password: passwords.cameras, place: 'lily-pond' }),
      SimulatedCamera.start({ port: base + 5, user, password: passwords.cameras, place: 'seed-vault', signIn: 'basic' }),
      SimulatedCamera.start({ port: base + 6, user, password: passwords.cameras, place: 'nursery', signIn: 'basic', sends: nurserySends }),
      SimulatedCamera.start({
        port: base + 7,
        rtspPort: base + 17,
        user,
        password: passwords.cameras,
        place: ['palm-house', 'lily-pond', 'seed-vault', 'nursery'],
        clockMs: 2 * 3_600_000,
      }),
      Recogniser.start({ port: base + 101 }),
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
