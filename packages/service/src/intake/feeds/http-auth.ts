import { createHash, randomBytes } from 'node:crypto';

/** The parameters of one challenge of a `WWW-Authenticate` header (RFC 9110 §11.6.1). */
export interface Challenge {
  readonly scheme: string;
  readonly params: Readonly<Record<string, string>>;
}

/** Reads the challenges that a server gives; several may stand in one header. */
export function readChallenges(header: string): Challenge[] {
  const challenges: { scheme: string; params: Record<string, string> }[] = [];
  for (const [, scheme, name, quoted, plain] of header.matchAll(
    /(?:^|,)\s*(?:([A-Za-z][A-Za-z0-9-]*)\s+(?=[A-Za-z0-9-]+\s*=))?([A-Za-z0-9-]+)\s*=\s*(?:"((?:[^"\\]|\\.)*)"|([^\s,]+))/g,
  )) {
    if (scheme) challenges.push({ scheme: scheme.toLowerCase(), params: {} });
    const last = challenges.at(-1);
    if (last) last.params[name.toLowerCase()] = (quoted ?? plain ?? '').replace(/\\(.)/g, '$1');
  }
  return challenges;
}

const hashes: Record<string, string> = { md5: 'md5', 'md5-sess': 'md5', 'sha-256': 'sha256', 'sha-256-sess': 'sha256' };

/** The `Authorization` that answers a challenge: digest (RFC 7616) before basic (RFC 7617); nothing for other schemes. */
export function answerChallenge(
  header: string,
  method: string,
  path: string,
  user: string,
  password: string,
  nonce = randomBytes(8).toString('hex'),
): string | undefined {
  const challenges = readChallenges(header);
  const digest = challenges
    .filter(({ scheme, params }) => scheme === 'digest' && (params.algorithm ?? 'MD5').toLowerCase() in hashes && params.nonce)
    .sort(
      (a, b) =>
        Number((b.params.algorithm ?? '').toLowerCase().startsWith('sha-256')) -
        Number((a.params.algorithm ?? '').toLowerCase().startsWith('sha-256')),
    )[0];
  if (digest) return digestAnswer(digest.params, method, path, user, password, nonce);
  const basic = /(?:^|,)\s*basic\b/i.test(header);
  return basic ? `Basic ${Buffer.from(`${user}:${password}`).toString('base64')}` : undefined;
}

function digestAnswer(
  params: Readonly<Record<string, string>>,
  method: string,
  path: string,
  user: string,
  password: string,
  cnonce: string,
): string {
  const algorithm = (params.algorithm ?? 'MD5').toLowerCase();
  const hash = (text: string) => createHash(hashes[algorithm]).update(text).digest('hex');
  const first = hash(`${user}:${params.realm ?? ''}:${password}`);
  const secret = algorithm.endsWith('-sess') ? hash(`${first}:${params.nonce}:${cnonce}`) : first;
  const act = hash(`${method}:${path}`);
  const qop = params.qop?.split(',').some((one) => one.trim() === 'auth') ? 'auth' : undefined;
  const count = '00000001';
  const response = qop ? hash(`${secret}:${params.nonce}:${count}:${cnonce}:${qop}:${act}`) : hash(`${secret}:${params.nonce}:${act}`);
  const quote = (text: string) => `"${text.replace(/(["\\])/g, '\\$1')}"`;
  const parts = [
    `username=${quote(user)}`,
    `realm=${quote(params.realm ?? '')}`,
    `nonce=${quote(params.nonce)}`,
    `uri=${quote(path)}`,
    `response="${response}"`,
  ];
  if (params.algorithm) parts.push(`algorithm=${params.algorithm}`);
  if (params.opaque !== undefined) parts.push(`opaque=${quote(params.opaque)}`);
  if (qop) parts.push(`qop=${qop}`, `nc=${count}`, `cnonce=${quote(cnonce)}`);
  return `Digest ${parts.join(', ')}`;
}
