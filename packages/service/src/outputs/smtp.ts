import type { SmtpOutput } from '@causalis/contract';
import { messageText } from '@causalis/words';
import { createTransport } from 'nodemailer';
import type { z } from 'zod';
import { delivered, networkFailure, type OutputKind, type OutputSurroundings, outputUse, refused, type Sent } from './contract.js';

type Smtp = z.infer<typeof SmtpOutput>;

/** Pictures of one message together may be this large; beyond it the link stands alone. */
const mostAttached = 8 * 1024 * 1024;

function failure(error: unknown): Sent {
  const e = error as { code?: string; responseCode?: number; response?: string; message?: string };
  if (e.code === 'EAUTH') return refused('login-refused', false, e.response);
  if (e.code === 'EENVELOPE' && (e.responseCode ?? 500) >= 500) return refused('recipient-refused', false, e.response);
  // RFC 5321 §4.2.1: 4yz may work later, 5yz will not.
  if (e.responseCode !== undefined) return refused(e.responseCode < 500 ? 'busy' : 'refused', e.responseCode < 500, e.response);
  if (e.code === 'ESOCKET' && /ECONNREFUSED/.test(e.message ?? '')) return refused('connection-refused', true);
  return networkFailure(error);
}

/** Mail through a server of the site. Message-ID carries the key, so that a repeat is known as one. */
export function smtpKind(around: OutputSurroundings): OutputKind<Smtp> {
  return {
    async send(output, { key, attempt, content, recipient, link, test, priority }, signal) {
      const secret = output.password ? await around.secret(output.password.secret, outputUse(output) ?? '') : undefined;
      if (secret && 'code' in secret) return refused(secret.code, true);
      const { subject, text } = messageText({
        ...content.event,
        title: around.site.title(content.event.source),
        time: new Date(content.event.time).toISOString(),
        rule: content.title,
        priority,
        site: around.site.name,
        timezone: around.site.timezone,
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
      const transport = createTransport({
        host: output.host,
        port: output.port,
        secure: output.security === 'tls',
        requireTLS: output.security === 'starttls',
        ignoreTLS: output.security === 'none',
        ...(output.user ? { auth: { user: output.user, pass: secret?.value ?? '' } } : {}),
        connectionTimeout: 10_000,
        greetingTimeout: 10_000,
        socketTimeout: 20_000,
        disableFileAccess: true,
        disableUrlAccess: true,
      });
      const stop = () => transport.close();
      signal.addEventListener('abort', stop, { once: true });
      try {
        const info = await transport.sendMail({
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
        });
        return delivered('accepted', { answer: info.response.slice(0, 200) });
      } catch (error) {
        return failure(error);
      } finally {
        signal.removeEventListener('abort', stop);
        transport.close();
      }
    },
  };
}
