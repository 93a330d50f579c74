import { timingSafeEqual } from 'node:crypto';
import { type Me, type Permission, permissionsOf } from '@causalis/contract';
import { randomPassword } from '../../first-start.js';
import { digestOf } from '../../ledger/commit.js';
import {
  addPass,
  addUser,
  changeUser,
  dropToken,
  findUser,
  listAudit,
  listTokens,
  listUsers,
  removeUser,
  type Token,
  type User,
} from '../../ledger/people.js';
import { Refusal, unknownItem } from '../../problem.js';
import { atOneSite, cookieName, hashPassword, newSecret } from '../access.js';
import type { Audit } from '../audit.js';
import type { Handlers, WebParts } from './context.js';

const day = 86_400_000;

/** Signing in and out, users and tokens, and who did what. */
export const peopleRoutes = (parts: WebParts, audit: Audit): Handlers => {
  const { forgetFirstSignIn, access, figures, sites, version, ledgerAnswers, database, clock, localKey } = parts;
  const userNamed = async (name: string): Promise<User> => {
    const user = await findUser(database, name);
    if (!user) throw new Refusal('unknown-user', { name });
    return user;
  };
  /** Somebody must be able to change things afterwards. */
  const notTheLast = async (user: User) => {
    if (user.role !== 'integrator') return;
    const users = await listUsers(database);
    if (users.filter(({ role }) => role === 'integrator').length < 2) throw new Refusal('last-integrator');
  };
  const report = ({ name, role, created }: { name: string; role: User['role']; created: Date }) => ({
    name,
    role,
    created: created.toISOString(),
  });
  const reported = async (name: string) => {
    const user = (await listUsers(database)).find((one) => one.name === name);
    if (!user) throw new Refusal('unknown-user', { name });
    return report(user);
  };

  return {
    metrics: async ({ request, reply }) => {
      if (request.caller?.site !== undefined) throw new Refusal('not-permitted', { permission: 'view of all sites' });
      void reply.type(figures.contentType).serializer((text: unknown) => String(text));
      return await figures.text();
    },
    health: async () => ({ service: 'well', ledger: (await ledgerAnswers()) ? 'well' : 'away', version, pid: process.pid }),
    signIn: async ({ body, request, reply }) => {
      const { me, secret, expires } = await access.signIn(body.name, body.password, request.ip, body.program);
      if (body.program !== undefined) {
        await audit({ me, request }, undefined, 'token.issued', { token: body.program });
        return { ...me, token: secret };
      }
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
    recover: async ({ body, request }) => {
      // Digests are of one length, so that they compare in one time.
      if (!timingSafeEqual(digestOf(body.key), digestOf(localKey))) throw new Refusal('wrong-password');
      const user = await userNamed(body.name);
      const password = randomPassword();
      const token = newSecret();
      await changeUser(database, user.id, { password: await hashPassword(password) });
      access.forget();
      await forgetFirstSignIn(user.name);
      const created = new Date(clock.wall());
      await addPass(database, token, { kind: 'token', user: user.id, name: 'command line of this machine', created, expires: null });
      const me = { name: user.name, role: user.role, permissions: [] };
      await audit({ me, request }, undefined, 'password.recovered', { user: user.name });
      return { name: user.name, password, token };
    },
    me: ({ me }) => me,
    setPassword: async ({ body, me, request }) => {
      if (!(await access.isPassword(me.name, body.old))) throw new Refusal('wrong-password');
      await changeUser(database, (await userNamed(me.name)).id, { password: await hashPassword(body.new) });
      access.forget();
      await forgetFirstSignIn(me.name);
      await audit({ me, request }, undefined, 'password.changed', { user: me.name });
      return {};
    },
    users: async () => ({ items: (await listUsers(database)).map(report) }),
    addUser: async ({ body, me, request }) => {
      mustHave(me, permissionsOf[body.role]);
      if (await findUser(database, body.name)) throw new Refusal('name-taken', { name: body.name });
      const password = body.password ?? randomPassword();
      const created = new Date(clock.wall());
      await addUser(database, { name: body.name, role: body.role, password: await hashPassword(password) }, created);
      await audit({ me, request }, undefined, 'user.added', { user: body.name, role: body.role });
      return { ...report({ ...body, created }), ...(body.password === undefined ? { password } : {}) };
    },
    setUser: async ({ params, body, me, request }) => {
      const user = await userNamed(params.name);
      mustHave(me, permissionsOf[user.role]);
      if (body.role) mustHave(me, permissionsOf[body.role]);
      if (body.role && body.role !== 'integrator') await notTheLast(user);
      const password = body.password === undefined ? {} : { password: await hashPassword(body.password) };
      await changeUser(database, user.id, { ...(body.role ? { role: body.role } : {}), ...password });
      access.forget();
      if (body.password !== undefined) await forgetFirstSignIn(user.name);
      await audit({ me, request }, undefined, 'user.changed', {
        user: user.name,
        ...(body.role ? { role: body.role } : {}),
        password: body.password !== undefined,
      });
      return await reported(user.name);
    },
    removeUser: async ({ params, me, request }) => {
      const user = await userNamed(params.name);
      mustHave(me, permissionsOf[user.role]);
      await notTheLast(user);
      await removeUser(database, user.id);
      access.forget();
      await audit({ me, request }, undefined, 'user.removed', { user: user.name });
      return {};
    },
    tokens: async () => ({ items: (await listTokens(database)).map(tokenReport) }),
    issueToken: async ({ body, me, request }) => {
      const user = await userNamed(me.name);
      const token = newSecret();
      const created = new Date(clock.wall());
      const expires = body.days === undefined ? null : new Date(created.getTime() + body.days * day);
      const wanted = body.permissions ?? me.permissions;
      mustHave(me, wanted);
      const site = body.site === undefined ? undefined : sites.get(body.site);
      const permissions = site ? atOneSite(wanted) : wanted;
      const id = await addPass(database, token, {
        kind: 'token',
        user: user.id,
        name: body.name,
        created,
        expires,
        permissions,
        ...(site ? { site: site.id } : {}),
      });
      await audit({ me, request }, site, 'token.issued', { token: body.name, id });
      return { ...tokenReport({ id, name: body.name, user, created, expires, permissions, site: site?.key ?? null }), token };
    },
    revokeToken: async ({ params, me, request }) => {
      if (!(await dropToken(database, params.id))) throw unknownItem('token', params.id);
      access.forget();
      await audit({ me, request }, undefined, 'token.revoked', { id: params.id });
      return {};
    },
    audit: ({ query }) => listAudit(database, query.limit, query.before),
    sites: ({ request }) => {
      const only = request.caller?.site;
      const seen = sites.all.filter(({ key }) => only === undefined || key === only);
      return { items: seen.map(({ key, name, timezone, revision }) => ({ key, name, timezone, revision })) };
    },
  };
};

/** Nobody gives more than they have: a token that may less than its user makes neither tokens nor users that may more. */
function mustHave(me: Me, permissions: readonly Permission[]): void {
  const beyond = permissions.find((permission) => !me.permissions.includes(permission));
  if (beyond !== undefined) throw new Refusal('not-permitted', { permission: beyond });
}

const tokenReport = ({ id, name, user, created, expires, permissions, site }: Token) => ({
  id,
  name,
  user: user.name,
  created: created.toISOString(),
  ...(expires ? { expires: expires.toISOString() } : {}),
  permissions: [...(permissions ?? permissionsOf[user.role])],
  ...(site === null ? {} : { site }),
});
