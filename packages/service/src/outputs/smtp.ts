import { type OutputOf, outputSecret } from '@causalis/contract';
import { messageText } from '@causalis/words';
import MailComposer from 'nodemailer/lib/mail-composer';
import SMTPConnection from 'nodemailer/lib/smtp-connection';
import { delivered, networkFailure, type OutputKind, type OutputSurroundings, refused, type Sending, type Sent } from './contract.js';
import { connectTo, Way } from './way.js';

type Smtp = OutputOf<'smtp'>;

/** Pictures of one message together may be this large; beyond it the link stands alone. */
const mostAttached = 8 * 1024 * 1024;
const connectMs = 10_000;
const silenceMs = 20_000;

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

/** Mail through a server of the site. Message-ID carries the key, so that a repeat is known as one. */
export function smtpKind(around: OutputSurroundings): OutputKind<Smtp> {
  return {
    async send(output, sending, signal) {
      const needed = outputSecret(output);
      const secret = needed ? await around.secret(needed.key, needed.use) : undefined;
      if (secret && 'code' in secret) return refused(secret.code, true);
      const mail = await compose(output, sending, around);
      const way = new Way();
      let stop = () => {};
      signal.addEventListener('abort', () => stop(), { once: true });
      try {
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
        stop = () => connection.close();
        await way.take(output.security === 'none' ? 'greeting' : 'encryption', () =>
          answered((done) => connection.connect(done as (error?: Error | null) => void)),
        );
        const { user } = output;
        if (user)
          await way.take('sign-in', () =>
            answered((done) => connection.login({ credentials: { user, pass: secret?.value ?? '' } } as never, done)),
          );
        const info = await way.take('acceptance', () =>
          answered<{ response?: string }>((done) => connection.send(mail.envelope as never, mail.message, done as never)),
        );
        connection.quit();
        return delivered('accepted', { answer: (info.response ?? '').slice(0, 200), steps: way.steps });
      } catch (error) {
        stop();
        return { ...(signal.aborted ? refused('no-answer', true) : failure(error)), steps: way.steps };
      }
    },
  };
}
