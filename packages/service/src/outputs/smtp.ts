import { type OutputOf, outputSecret } from '@causalis/contract';
import { messageText } from '@causalis/words';
import MailComposer from 'nodemailer/lib/mail-composer';
import SMTPConnection from 'nodemailer/lib/smtp-connection';
import { deadline } from '../deadline.js';
import { delivered, networkFailure, type OutputKind, type OutputSurroundings, refused, type Sending, type Sent } from './contract.js';
import { connectTo, Way } from './way.js';

type Smtp = OutputOf<'smtp'>;

/** Pictures of one message together may be this large; beyond it the link stands alone. */
const mostAttached = 8 * 1024 * 1024;
const connectMs = 10_000;
const silenceMs = 20_000;
/** A connection takes so many mails, and waits so long for the next; no more than this wait at once. */
const mailsALine = 100;
const idleMs = 3_000;
const idleLines = 4;
/** Whether it still answers is known soon. */
const stillThereMs = 2_000;

function failure(error: unknown): Sent {
  const e = error as { code?: string; responseCode?: number; response?: string; message?: string };
  if (e.code === 'EAUTH') return refused('login-refused', false, e.response);
  if (e.code === 'EENVELOPE' && (e.responseCode ?? 500) >= 500) return refused('recipient-refused', false, e.response);
  // RFC 5321 §4.2.1: 4yz may work later, 5yz will not.
  if (e.responseCode !== undefined) return refused(e.responseCode < 500 ? 'busy' : 'refused', e.responseCode < 500, e.response);
  return networkFailure(error);
}

/** The message whole, as it goes over the wire. */
async function compose(output: Smtp, { key, attempt, content, recipient, link, test, priority }: Sending, around: OutputSurroundings) {
  const { subject, text } = messageText({
    ...content.event,
    title: around.site.title(content.event.source),
    time: new Date(content.event.time).toISOString(),
    rule: content.title,
    priority,
    site: around.site.name,
    timezone: around.site.timezone,
    language: around.site.language,
    ...(content.words === undefined ? {} : { words: content.words }),
    ...(link ? { link } : {}),
    test,
  });
  const attachments: { filename: string; content: Buffer; contentType: string }[] = [];
  let size = 0;
  for (const [i, id] of content.stills.entries()) {
    const picture = await around.picture(id);
    if (!picture || size + picture.length > mostAttached) continue;
    size += picture.length;
    attachments.push({ filename: `${content.event.source}-${i + 1}.jpg`, content: picture, contentType: 'image/jpeg' });
  }
  const mail = new MailComposer({
    from: output.from,
    to: recipient,
    subject,
    text,
    messageId: `<${key}@${output.from.split('@')[1]}>`,
    headers: {
      'X-Causalis-Key': key,
      'X-Causalis-Attempt': String(attempt),
      'Auto-Submitted': 'auto-generated',
      ...(test ? { 'X-Causalis-Test': 'yes' } : {}),
    },
    attachments,
    disableFileAccess: true,
    disableUrlAccess: true,
  }).compile();
  return { envelope: mail.getEnvelope(), message: await mail.build() };
}

/** The calls of a connection as promises: each answers, or the connection breaks, whenever it does. */
function callsOf(connection: SMTPConnection) {
  const broken = new Promise<never>((_, reject) => {
    connection.on('error', reject);
    connection.on('end', () => reject(Object.assign(new Error('the connection was closed'), { code: 'ECONNRESET' })));
  });
  // It may break when nobody waits for it.
  broken.catch(() => undefined);
  return <T>(call: (done: (error?: Error | null, result?: T) => void) => void): Promise<T> =>
    Promise.race([
      broken,
      new Promise<T>((resolve, reject) => {
        call((error, result) => (error ? reject(error) : resolve(result as T)));
      }),
    ]);
}

/** A connection to a mail server that is signed in and may take more than one mail. */
interface Line {
  readonly connection: SMTPConnection;
  readonly answered: ReturnType<typeof callsOf>;
  mails: number;
  end: NodeJS.Timeout | undefined;
}

/** Connections that wait for the next mail, by server and user; each for a moment only. */
class Lines {
  private readonly idle = new Map<string, Line[]>();

  /** One that still answers, or none. */
  async take(name: string): Promise<Line | undefined> {
    for (let line = this.idle.get(name)?.pop(); line; line = this.idle.get(name)?.pop()) {
      clearTimeout(line.end);
      const limit = deadline(stillThereMs);
      try {
        const { connection, answered } = line;
        // Whoever has gone away without a word is closed, which ends the waiting for them.
        limit.signal.addEventListener('abort', () => connection.close(), { once: true });
        await answered((done) => connection.reset(done as (error?: Error | null) => void));
        return line;
      } catch {
        line.connection.close();
      } finally {
        limit.clear();
      }
    }
    return undefined;
  }

  /** Keeps one for the next mail, or lets it go. */
  give(name: string, line: Line): void {
    const others = this.idle.get(name) ?? [];
    if (++line.mails >= mailsALine || others.length >= idleLines) {
      line.connection.quit();
      return;
    }
    line.end = setTimeout(() => {
      this.idle.set(
        name,
        (this.idle.get(name) ?? []).filter((one) => one !== line),
      );
      line.connection.quit();
    }, idleMs);
    line.end.unref();
    this.idle.set(name, [...others, line]);
  }
}

/** Connects, is greeted, and signs in: each a step of the way. */
async function openLine(output: Smtp, password: string, way: Way, signal: AbortSignal, opened: (line: Line) => void): Promise<Line> {
  const socket = await connectTo(way, output.host, output.port, signal, connectMs);
  const connection = new SMTPConnection({
    connection: socket,
    host: output.host,
    port: output.port,
    secure: output.security === 'tls',
    requireTLS: output.security === 'starttls',
    ignoreTLS: output.security === 'none',
    greetingTimeout: connectMs,
    socketTimeout: silenceMs,
  });
  const answered = callsOf(connection);
  const line: Line = { connection, answered, mails: 0, end: undefined };
  opened(line);
  await way.take(output.security === 'none' ? 'greeting' : 'encryption', () =>
    answered((done) => connection.connect(done as (error?: Error | null) => void)),
  );
  const { user } = output;
  if (user) await way.take('sign-in', () => answered((done) => connection.login({ credentials: { user, pass: password } } as never, done)));
  return line;
}

/** Mail through a server of the site. Message-ID carries the key, so that a repeat is known as one. */
export function smtpKind(around: OutputSurroundings): OutputKind<Smtp> {
  const lines = new Lines();
  return {
    async send(output, sending, signal) {
      const needed = outputSecret(output);
      const secret = needed ? await around.secret(needed.key, needed.use) : undefined;
      if (secret && 'code' in secret) return refused(secret.code, true);
      const password = secret?.value ?? '';
      const mail = await compose(output, sending, around);
      const way = new Way();
      // Who it is that is signed in; another password is another line.
      const name = JSON.stringify([output.host, output.port, output.security, output.user, password]);
      let line: Line | undefined;
      const stop = () => line?.connection.close();
      signal.addEventListener('abort', stop, { once: true });
      try {
        // A test goes the whole way, step by step; everything else takes a line that stands.
        line = sending.test ? undefined : await lines.take(name);
        line ??= await openLine(output, password, way, signal, (opened) => {
          line = opened;
        });
        const { connection, answered } = line;
        const info = await way.take('acceptance', () =>
          answered<{ response?: string }>((done) => connection.send(mail.envelope as never, mail.message, done as never)),
        );
        lines.give(name, line);
        return delivered('accepted', { answer: info.response ?? '', steps: way.steps });
      } catch (error) {
        stop();
        return { ...(signal.aborted ? refused('no-answer', true) : failure(error)), steps: way.steps };
      } finally {
        signal.removeEventListener('abort', stop);
      }
    },
  };
}
