import { lookup as lookupAddress } from 'node:dns';
import { lookup } from 'node:dns/promises';
import { isIP, type LookupFunction } from 'node:net';
import { networkInterfaces } from 'node:os';
import { type OutputOf, outputSecret } from '@causalis/contract';
import { Webhook } from 'standardwebhooks';
import { Agent, type Dispatcher, request } from 'undici';
import { type CallRules, clean, delivered, networkFailure, type OutputKind, type OutputSurroundings, refused } from './contract.js';
import { connectTo, Way } from './way.js';

/** No answer is worth reading beyond this. */
const mostAnswer = 64 * 1024;
/** How long another system may take. */
const answerMs = 10_000;

const portOf = (url: URL): number => Number(url.port || (url.protocol === 'https:' ? 443 : 80));

/** An IPv4 address that is written as an IPv6 one (RFC 4291 §2.5.5.2), as what it is. */
const plainAddress = (address: string): string => {
  const bits = /^::ffff:([0-9a-f]{1,4}):([0-9a-f]{1,4})$/i.exec(address);
  if (!bits) return address.replace(/^::ffff:(?=\d+\.)/i, '');
  const [high, low] = [Number.parseInt(bits[1], 16), Number.parseInt(bits[2], 16)];
  return [high >> 8, high & 255, low >> 8, low & 255].join('.');
};

const isForbidden = (address: string, { forbidden }: CallRules): boolean => {
  const plain = plainAddress(address);
  return forbidden.check(plain, isIP(plain) === 6 ? 'ipv6' : 'ipv4');
};

/** Whether an address is this machine: loopback, "any", or one of its own. */
function isHere(address: string): boolean {
  const plain = plainAddress(address);
  if (/^(127\.|0\.0\.0\.0$)/.test(plain) || plain === '::1' || plain === '::') return true;
  return Object.values(networkInterfaces()).some((list) => list?.some((one) => one.address === plain));
}

/** Calls go nowhere near the inside: not to link-local addresses, and not to our own ports or the database, by whatever name. */
async function mayCall(url: URL, rules: CallRules): Promise<boolean> {
  const host = url.hostname.replace(/^\[|\]$/g, '');
  const found = isIP(host) ? [host] : (await lookup(host, { all: true }).catch(() => [])).map(({ address }) => address);
  if (found.some((address) => isForbidden(address, rules))) return false;
  return !(found.some(isHere) && rules.ownPorts().includes(portOf(url)));
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
    // Names are looked up once more to connect: what they say then is held to the same.
    connect: { timeout: answerMs, lookup: outsideLookup(around.calls) },
  });
  return {
    async send(output, { key, attempt, content, link, test }, signal) {
      const url = new URL(output.url);
      if (!(await mayCall(url, around.calls))) return refused('address-forbidden', false);
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
        if (status >= 200 && status < 300) return delivered('accepted', { answer: `${status}${text ? ` ${text}` : ''}`, steps });
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

/** A name may say something else each time that it is asked (DNS rebinding): the answer that is used is looked at too. */
const outsideLookup =
  (rules: CallRules): LookupFunction =>
  (hostname, options, done) => {
    lookupAddress(hostname, { ...options, all: true }, (error, found) => {
      const inside = error ? undefined : found.find(({ address }) => isForbidden(address, rules));
      if (error || inside) done(error ?? Object.assign(new Error('a link-local address'), { code: 'ENOTFOUND' }), [], 4);
      else if (options.all) done(null, found);
      else done(null, found[0].address, found[0].family);
    });
  };

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
