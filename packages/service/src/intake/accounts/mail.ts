import { plainLine } from '@causalis/contract';
import { simpleParser } from 'mailparser';
import { SMTPServer } from 'smtp-server';
import { type AccountDesk, ArrivalRefused, type ArrivalServer, mostArrivalBytes, type SignedIn } from './contract.js';

/** Pictures of one mail beyond these are left out. */
const mostPictures = 8;
/** A mail is larger than its pictures: they are written in letters. */
const mostMailBytes = mostArrivalBytes * 2;
const idleMs = 60_000;

/** Takes mail of cameras that sign in with an account of ours; whom it is addressed to does not matter. */
export async function mailServer(desk: AccountDesk, host: string, port: number): Promise<ArrivalServer> {
  const server = new SMTPServer({
    banner: 'Causalis',
    // Old cameras know neither TLS nor anything but a login in the clear: it listens on loopback unless told.
    disabledCommands: ['STARTTLS'],
    allowInsecureAuth: true,
    authMethods: ['PLAIN', 'LOGIN'],
    disableReverseLookup: true,
    size: mostMailBytes,
    socketTimeout: idleMs,
    closeTimeout: 1_000,
    maxClients: 100,
    onAuth({ username, password }, { remoteAddress }, done) {
      desk.enter('mail', username ?? '', password ?? '', remoteAddress).then(
        (who) => (who ? done(null, { user: who as never }) : done(answer(535, 'Name or password is wrong'))),
        () => done(answer(454, 'Not now; try again')),
      );
    },
    onData(stream, { user, remoteAddress }, done) {
      const who = user as unknown as SignedIn;
      const take = async (): Promise<void> => {
        const mail = await simpleParser(await bounded(stream));
        const pictures = mail.attachments.filter(({ contentType }) => contentType.startsWith('image/')).slice(0, mostPictures);
        const words = plainLine(mail.subject ?? '', 200);
        const [first] = pictures;
        await desk.arrived(who, {
          address: remoteAddress,
          pictures: pictures.map(({ content }) => content),
          ...(first?.filename ? { file: plainLine(first.filename, 200) } : {}),
          ...(words ? { words } : {}),
        });
      };
      take().then(
        () => done(),
        async (error: unknown) => {
          if (!(error instanceof ArrivalRefused)) {
            done(answer(451, 'Not now; try again'));
            return;
          }
          await desk.refuse(who, remoteAddress, error.code).catch(() => undefined);
          done(answer(554, 'Not taken'));
        },
      );
    },
  });
  // A camera that breaks off is no trouble of ours.
  server.on('error', () => undefined);
  await new Promise<void>((resolve, reject) => {
    server.server.once('error', reject);
    server.listen(port, host, resolve);
  });
  const address = server.server.address();
  return {
    port: typeof address === 'object' && address ? address.port : port,
    stop: () => new Promise((resolve) => server.close(resolve)),
  };
}

/** All of a mail; one that is too large is read to its end, because its sender listens only then, and not kept. */
async function bounded(stream: AsyncIterable<unknown>): Promise<Buffer> {
  const parts: Buffer[] = [];
  let length = 0;
  for await (const part of stream as AsyncIterable<Buffer>) {
    length += part.length;
    if (length <= mostMailBytes) parts.push(part);
  }
  if (length > mostMailBytes) throw new ArrivalRefused('too-large');
  return Buffer.concat(parts);
}

const answer = (responseCode: number, message: string): Error => Object.assign(new Error(message), { responseCode });
