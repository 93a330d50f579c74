import assert from 'node:assert/strict';
import { connect, createServer, type Server, type Socket } from 'node:net';
import { after, before, test } from 'node:test';
import { freshDatabase } from './at-work/database.js';
import { Garden } from './at-work/garden.js';

/** Between service and database: cuts the line when the next commit of entries has been answered, before anybody hears it. */
class Line {
  armed = false;
  readonly port: number;
  private readonly server: Server;
  private readonly sockets: Set<Socket>;

  private constructor(server: Server, port: number, sockets: Set<Socket>) {
    this.server = server;
    this.port = port;
    this.sockets = sockets;
  }

  static async to(host: string, port: number): Promise<Line> {
    const sockets = new Set<Socket>();
    const server = createServer((near) => {
      const far = connect(port, host);
      let writesEntries = false;
      let cut = false;
      for (const socket of [near, far]) {
        sockets.add(socket);
        socket
          .on('error', () => undefined)
          .on('close', () => {
            sockets.delete(socket);
            near.destroy();
            far.destroy();
          });
      }
      near.on('data', (data) => {
        const text = data.toString('latin1');
        // What came with an id of its own: what the service says of itself may be committed at any time.
        if (text.includes('INSERT INTO `accepted`')) writesEntries = true;
        if (text.includes('COMMIT') && writesEntries && line.armed) {
          line.armed = false;
          cut = true;
        }
        if (text.includes('COMMIT')) writesEntries = false;
        far.write(data);
      });
      far.on('data', (data) => {
        if (cut) near.destroy();
        else near.write(data);
      });
    });
    await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
    const line = new Line(server, (server.address() as { port: number }).port, sockets);
    return line;
  }

  async close(): Promise<void> {
    for (const socket of this.sockets) socket.destroy();
    await new Promise((resolve) => this.server.close(resolve));
  }
}

let database: Awaited<ReturnType<typeof freshDatabase>>;
let line: Line;
let garden: Garden;
before(async () => {
  database = await freshDatabase();
  const { hostname, port } = new URL(database.url.replace(/^mariadb:/, 'http:'));
  line = await Line.to(hostname, Number(port));
  garden = await Garden.open({ databaseUrl: database.url.replace(`:${port}/`, `:${line.port}/`) });
});
after(async () => {
  await garden?.close();
  await line?.close();
  await database?.drop();
});

test('a commit whose answer is lost is found again: kept once, sent once, and known to who asks again', async () => {
  line.armed = true;
  await assert.rejects(garden.visit('unsure'), { code: 'ledger-away' });
  const again = await garden.service.client.call('sendEvents', {
    params: { site: 'quillmere' },
    body: {
      specversion: '1.0',
      id: 'unsure',
      source: 'tests',
      type: 'motion.began',
      subject: 'cameras/gatehouse',
      data: { mark: 'drive' },
    } as never,
  });
  assert.equal(again.items[0].repeated, true);
  const floods = (chain: Awaited<ReturnType<Garden['service']['chain']>>) =>
    chain.firings.flatMap(({ actions }) => actions.flatMap(({ name, deliveries }) => (name === 'floods' ? deliveries : [])));
  const chain = await garden.service.chainWhen(again.items[0].id, (one) => floods(one)[0]?.state === 'delivered');
  assert.deepEqual(
    floods(chain)[0].attempts.map(({ number, outcome }) => [number, outcome]),
    [[1, 'delivered']],
  );
  const next = await garden.service.send('hook.called', 'hooks/face-desk', {});
  assert.equal((await garden.service.chain(next)).event.number > chain.event.number, true);
});
