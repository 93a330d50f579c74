import { cookieName } from '../access.js';
import type { Handlers, WebParts } from './context.js';

/** Signing in and out, and who one is. */
export const peopleRoutes = ({ access, sites, version, ledgerAnswers }: WebParts): Handlers => ({
  health: async () => ({ service: 'well', ledger: (await ledgerAnswers()) ? 'well' : 'away', version, pid: process.pid }),
  signIn: async ({ body, request, reply }) => {
    const { me, secret, expires } = await access.signIn(body.name, body.password, request.ip);
    void reply.setCookie(cookieName, secret, {
      httpOnly: true,
      sameSite: 'strict',
      path: '/',
      expires,
      secure: request.protocol === 'https',
    });
    return me;
  },
  signOut: async ({ request, reply }) => {
    const secret = request.cookies[cookieName];
    if (secret) await access.signOut(secret);
    void reply.clearCookie(cookieName, { path: '/' });
    return {};
  },
  me: ({ me }) => me,
  sites: () => ({ items: sites.all.map(({ key, name, timezone, revision }) => ({ key, name, timezone, revision })) }),
});
