import type { Server } from 'node:net';

/** Listens on loopback and says at which port; 0 takes a free one. */
export async function listen(server: Server, port: number): Promise<number> {
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, '127.0.0.1', () => {
      server.off('error', reject);
      resolve();
    });
  });
  const address = server.address();
  return typeof address === 'object' && address ? address.port : port;
}
