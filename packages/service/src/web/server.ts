import { type Me, type PathName, paths, shapes } from '@causalis/contract';
import { mostBytes } from '@causalis/document';
import cookie from '@fastify/cookie';
import swagger from '@fastify/swagger';
import websocket from '@fastify/websocket';
import Fastify, { type FastifyBaseLogger, type FastifyInstance, type FastifyRequest, LogController } from 'fastify';
import { jsonSchemaTransform } from 'fastify-type-provider-zod';
import type { z } from 'zod';
import type { Caller } from './access.js';
import { makeAudit } from './audit.js';
import { asStructured } from './cloud-events.js';
import { serveConsole } from './console.js';
import { answerErrors, validate } from './errors.js';
import { takeJson } from './json.js';
import { cameraRoutes } from './routes/cameras.js';
import type { Asked, Handler, WebParts } from './routes/context.js';
import { documentRoutes } from './routes/document.js';
import { findRoutes } from './routes/find.js';
import { handRoutes } from './routes/hands.js';
import { hookRoute } from './routes/hook.js';
import { ledgerRoutes } from './routes/ledger.js';
import { openLive } from './routes/live.js';
import { peopleRoutes } from './routes/people.js';
import { siteRoutes } from './routes/site.js';
import { sourceRoutes } from './routes/sources.js';
import { openStream } from './routes/stream.js';
import { addSafeHeaders, checkHost, checkOrigin } from './safety.js';

declare module 'fastify' {
  interface FastifyRequest {
    caller: Caller | undefined;
  }
}

/** Bodies of JSON are small; only documents are not. */
const mostJson = 1024 * 1024;
/** Consoles take two each for good, programs one; whoever opens thousands only keeps others out. */
const mostConnections = 2_000;
/** Routes whose body is a text with lines, whatever it is called. */
const textRoutes: readonly PathName[] = ['check', 'preview', 'apply'];
/** Routes that keep the connection, or have a place of their own. */
const ownRoutes: readonly PathName[] = ['stream', 'live', 'hook'];

const nobody: Me = { name: 'nobody', role: 'viewer', permissions: [] };

/** The whole web side of the service, not listening yet. */
export async function buildServer(parts: WebParts, log: FastifyBaseLogger, names: () => ReadonlySet<string>): Promise<FastifyInstance> {
  const app = Fastify({
    loggerInstance: log,
    bodyLimit: mostJson,
    forceCloseConnections: true,
    requestTimeout: 60_000,
    logController: new LogController({ disableRequestLogging: true }),
    // What is too long is refused by its schema, in the same form as everything else.
    routerOptions: { maxParamLength: 16 * 1024 },
  });
  app.server.maxConnections = mostConnections;
  app.setValidatorCompiler(validate);
  // Answers are typed by the contract; a test holds them to its schemas.
  app.setSerializerCompiler(() => (answer) => JSON.stringify(answer));
  answerErrors(app, mostJson);
  addSafeHeaders(app);
  await app.register(cookie);
  await app.register(swagger, {
    openapi: { openapi: '3.1.0', info: { title: 'Causalis', version: parts.version, description: 'From camera to cause to effect.' } },
    transform: jsonSchemaTransform,
  });
  await app.register(websocket, { options: { maxPayload: 16 * 1024 } });
  takeJson(app);
  app.decorateRequest('caller', undefined);
  app.addHook('onRequest', async (request) => {
    checkHost(request, names);
    const name = (request.routeOptions.config as { name?: PathName }).name;
    if (!name) return;
    request.caller = paths[name].permission === 'open' ? undefined : await parts.access.caller(request);
    if (request.caller?.by !== 'token') checkOrigin(request, name === 'live');
    parts.access.permit(request.caller, paths[name].permission, (request.params as { site?: string }).site);
  });

  app.addHook('preValidation', async (request) => {
    if ((request.routeOptions.config as { name?: PathName }).name === 'sendEvents') asStructured(request);
  });

  app.addHook('onResponse', async (request, reply) => {
    parts.figures.answered(request.method, reply.statusCode, reply.elapsedTime);
  });

  const audit = makeAudit(parts.database, parts.clock);
  const handlers = {
    ...peopleRoutes(parts, audit),
    ...documentRoutes(parts, audit),
    ...siteRoutes(parts, audit),
    ...findRoutes(parts, audit),
    ...sourceRoutes(parts, audit),
    ...cameraRoutes(parts, audit),
    ...handRoutes(parts, audit),
    ...ledgerRoutes(parts),
  };
  const add = (scope: FastifyInstance, name: PathName) => addRoute(scope, name, handlers[name] as Handler<PathName>, parts);
  for (const name of Object.keys(paths) as PathName[]) if (!ownRoutes.includes(name) && !textRoutes.includes(name)) add(app, name);
  await app.register(async (scope) => {
    scope.removeAllContentTypeParsers();
    scope.addContentTypeParser('*', { parseAs: 'string', bodyLimit: mostBytes }, (_, body, done) => done(null, body));
    for (const name of textRoutes) add(scope, name);
  });
  await app.register(async (scope) => {
    scope.get(paths.stream.path, { config: { name: 'stream' }, schema: openApi('stream') }, async (request, reply) =>
      openStream(siteOf(request, parts), request, reply),
    );
    scope.get(paths.live.path, { config: { name: 'live' }, schema: openApi('live'), websocket: true }, (socket, request) =>
      openLive(siteOf(request, parts), socket),
    );
  });
  await app.register((scope) => hookRoute(scope, parts));
  app.get('/api/v1/openapi.json', { schema: { hide: true } }, async () => app.swagger());
  await serveConsole(app);
  return app;
}

const siteOf = (request: FastifyRequest, { sites }: WebParts) => sites.get((request.params as { site: string }).site);

/** What the OpenAPI document says of a route. */
function openApi(name: PathName) {
  const { about, permission } = paths[name];
  return { operationId: name, summary: about, description: `Permission: ${permission}.` };
}

/** One address: parse, ask one function, answer. */
function addRoute(app: FastifyInstance, name: PathName, handler: Handler<PathName>, parts: WebParts): void {
  const { method, path } = paths[name];
  const shape: { params?: z.ZodType; query?: z.ZodType; body?: z.ZodType; answer: z.ZodType } = shapes[name];
  const atSite = path.includes('/sites/:site/') && !textRoutes.includes(name);
  app.route({
    method,
    url: path,
    config: { name },
    ...(textRoutes.includes(name) ? { bodyLimit: mostBytes } : {}),
    schema: {
      ...openApi(name),
      ...(textRoutes.includes(name) ? { consumes: ['application/yaml', 'application/json'] } : {}),
      ...(shape.params ? { params: shape.params } : {}),
      ...(shape.query ? { querystring: shape.query } : {}),
      ...(shape.body ? { body: shape.body } : {}),
      response: { 200: shape.answer },
    },
    handler: async (request, reply) => {
      const asked = {
        params: request.params,
        query: request.query,
        body: request.body,
        me: request.caller?.me ?? nobody,
        site: atSite ? siteOf(request, parts) : undefined,
        request,
        reply,
      };
      return await handler(asked as Asked<PathName>);
    },
  });
}
