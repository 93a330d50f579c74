import { isIP } from 'node:net';
import { type OutputOf, outputSecret } from '@causalis/contract';
import { Webhook } from 'standardwebhooks';
import { Agent, type Dispatcher, request } from 'undici';
import { type CallRules, clean, delivered, networkFailure, type OutputKind, type OutputSurroundings, refused } from './contract.js';
import { connectTo, Way } from './way.js';

/** No answer is worth reading beyond this. */
const mostAnswer = 64 * 1024;
/** How long another system may take. */
const answerMs = 10_000;

const loopback = (host: string) => host === 'localhost' || host === '::1' || host === '[::1]' || host.startsWith('127.');

const portOf = (url: URL): number => Number(url.port || (url.protocol === 'https:' ? 443 : 80));

function mayCall(url: URL, { forbidden, ownPorts }: CallRules): boolean {
  const host = url.hostname.replace(/^\[|\]$/g, '');
  if (isIP(host) && forbidden.check(host, isIP(host) === 6 ? 'ipv6' : 'ipv4')) return false;
  return !(loopback(url.hostname) && ownPorts().includes(portOf(url)));
}

/**
 * Calls another system: a CloudEvent as JSON, signed after Standard Webhooks where a secret is given. `webhook-id` is
 * the key of the delivery, the same in all attempts.
 */
export function callKind(around: OutputSurroundings): OutputKind<OutputOf<'call'>> {
  // One pool with keep-alive for all calls: a fresh connection for each costs more than the call.
  const agent = new Agent({
    keepAliveTimeout: 30_000,
    connections: 16,
    headersTimeout: answerMs,
    bodyTimeout: answerMs,
    connect: { timeout: answerMs },
  });
  return {
    async send(output, { key, attempt, content, link, test }, signal) {
      const url = new URL(output.url);
      if (!mayCall(url, around.calls)) return refused('address-forbidden', false);
      const { event } = content;
      const body = JSON.stringify({
        specversion: '1.0',
        id: key,
        source: `causalis/${around.site.key}`,
        type: event.kind,
        subject: `${event.section}/${event.source}`,
        time: new Date(event.time).toISOString(),
        datacontenttype: 'application/json',
        data: {
          rule: content.rule,
          title: content.title,
          ...(content.words === undefined ? {} : { words: content.words }),
          event: event.id,
          ...(event.mark === undefined ? {} : { mark: event.mark }),
          ...event.data,
          stills: content.stills,
          ...(link ? { link } : {}),
          test,
        },
      });
      const headers: Record<string, string> = {
        'content-type': 'application/cloudevents+json',
        'user-agent': 'Causalis',
        'webhook-id': key,
        'causalis-attempt': String(attempt),
        // A call that comes back as a hook is one deeper than its cause, so that a circle ends.
        'causalis-depth': String(event.depth + 1),
      };
      const needed = outputSecret(output);
      if (needed) {
        const secret = await around.secret(needed.key, needed.use);
        if ('code' in secret) return refused(secret.code, true);
        const now = new Date();
        headers['webhook-timestamp'] = String(Math.floor(now.getTime() / 1000));
        headers['webhook-signature'] = new Webhook(Buffer.from(secret.value).toString('base64')).sign(key, now, body);
      }
      const way = new Way();
      const steps = way.steps;
      try {
        // A test goes the whole way, step by step; everything else takes a connection that stands.
        if (test) (await connectTo(way, url.hostname.replace(/^\[|\]$/g, ''), portOf(url), signal, answerMs)).destroy();
        const [status, text] = await way.take('answer', async () => {
          const answer = await request(url, { method: 'POST', headers, body, dispatcher: agent, signal });
          return [answer.statusCode, clean(await readBounded(answer.body))] as const;
        });
        if (status >= 200 && status < 300)
          return delivered('accepted', { answer: `${status}${text ? ` ${text}` : ''}`.slice(0, 200), steps });
        if (status >= 300 && status < 400) return { ...refused('redirect', false, String(status)), steps };
        // A refusal of what was sent stays one; a server's own trouble or a full one passes.
        const later = status >= 500 || status === 408 || status === 425 || status === 429;
        return { ...refused('status-refused', later, `${status} ${text}`), steps };
      } catch (error) {
        return { ...networkFailure(error), steps };
      }
    },
  };
}

/** The beginning of an answer; the rest is let go. */
async function readBounded(body: Dispatcher.ResponseData['body']): Promise<string> {
  const parts: Buffer[] = [];
  let size = 0;
  for await (const part of body) {
    size += part.length;
    if (size > mostAnswer) {
      body.on('error', () => undefined).destroy();
      break;
    }
    parts.push(part);
  }
  return Buffer.concat(parts).toString('utf8').slice(0, 300);
}
