import assert from 'node:assert/strict';
import { createServer, type Server, type ServerResponse } from 'node:http';
import { type AddressInfo, createServer as createSocketServer, type Socket } from 'node:net';
import { after, before, test } from 'node:test';
import { Garden } from './at-work/garden.js';

/** A desk that answers one call at a time, when it is told to. */
class SlowDesk {
  readonly waiting: { priority: string; answer: () => void }[] = [];
  readonly served: string[] = [];
  private readonly server: Server;
  private came: () => void = () => undefined;

  private constructor(server: Server) {
    this.server = server;
  }

  static async open(): Promise<SlowDesk> {
    const server = createServer((request, response: ServerResponse) => {
      let body = '';
      request.on('data', (part) => {
        body += part;
      });
      request.on('end', () => {
        const { data } = JSON.parse(body) as { data: { rule: string } };
        desk.waiting.push({
          priority: data.rule,
          answer: () => {
            desk.served.push(data.rule);
            response.end('taken');
          },
        });
        desk.came();
      });
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    const desk = new SlowDesk(server);
    return desk;
  }

  get port(): number {
    return (this.server.address() as AddressInfo).port;
  }

  /** Resolves when so many calls wait for their answer. */
  async has(count: number): Promise<void> {
    while (this.waiting.length < count)
      await new Promise<void>((resolve) => {
        this.came = resolve;
      });
  }

  async close(): Promise<void> {
    this.server.closeAllConnections();
    await new Promise((resolve) => this.server.close(resolve));
  }
}

let garden: Garden;
let slow: SlowDesk;
const deaf = createSocketServer();
const sockets = new Set<Socket>();
before(async () => {
  slow = await SlowDesk.open();
  deaf.on('connection', (socket) => {
    sockets.add(socket);
    socket.on('error', () => undefined);
  });
  await new Promise<void>((resolve) => deaf.listen(0, '127.0.0.1', resolve));
  garden = await Garden.open({
    document: (text) =>
      `${text
        .replaceAll('active: true', 'active: false')
        .replace(
          'outputs:\n',
          `outputs:\n  deaf: { kind: call, url: "http://127.0.0.1:${(deaf.address() as AddressInfo).port}/" }\n  slow: { kind: call, url: "http://127.0.0.1:${slow.port}/" }\n`,
        )}
  hears-nothing:
    title: Somebody calls who does not answer
    active: true
    cause: { event: hook.called, at: face-desk, who: everybody }
    actions:
      unheard: { call: deaf }
      desk: { call: depot-desk }
      message: { tell: keeper, words: "{who} is at the desk" }
  routine:
    title: Routine
    active: true
    cause: { event: hook.called, at: face-desk, who: routine }
    actions: { slow: { call: slow } }
  urgent:
    title: Urgent
    active: true
    priority: urgent
    cause: { event: hook.called, at: face-desk, who: urgent }
    actions: { slow: { call: slow } }
`,
  });
});
after(async () => {
  for (const socket of sockets) socket.destroy();
  deaf.close();
  await slow?.close();
  await garden?.close();
});
const call = (who: string) => garden.service.send('hook.called', 'hooks/face-desk', { who });

test('an output that never answers delays no other', async () => {
  for (let n = 0; n < 9; n++) await call('everybody');
  const id = await call('everybody');
  const chain = await garden.service.chainWhen(id, ({ firings }) =>
    ['desk', 'message'].every((name) => firings[0]?.actions.find((action) => action.name === name)?.deliveries[0]?.state === 'delivered'),
  );
  assert.equal(chain.firings[0].actions.find(({ name }) => name === 'unheard')?.deliveries[0].state, 'sending');
});

test('an urgent delivery passes every lesser one that waits before the same output', async () => {
  for (let n = 0; n < 60; n++) await call('routine');
  await slow.has(4);
  await call('urgent');
  // Those four that were being sent cannot be called back; the urgent one is next.
  for (let n = 0; n < 5; n++) {
    await slow.has(1);
    slow.waiting.shift()?.answer();
  }
  const passed = slow.served.indexOf('urgent');
  assert.ok(passed >= 0 || slow.waiting.some(({ priority }) => priority === 'urgent'), slow.served.join(' '));
  assert.ok(slow.served.length + slow.waiting.length < 15, 'the other fifty still wait');
});
