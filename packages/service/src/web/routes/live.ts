import type { WebSocket } from '@fastify/websocket';
import { z } from 'zod';
import type { SiteRuntime } from '../../site.js';

/** While this much has not gone out, a newer picture takes the place of the older one. */
const mostAhead = 256 * 1024;
const Wanted = z.object({ cameras: z.array(z.string().max(63)).max(64) });

/** Pictures, levels and boxes of the cameras that a page shows, over one connection. The newest wins. */
export function openLive(site: SiteRuntime, socket: WebSocket): void {
  let leave: (() => void) | undefined;
  const next = new Map<string, Buffer>();
  const flush = () => {
    for (const [camera, message] of next) {
      if (socket.bufferedAmount > mostAhead) return;
      next.delete(camera);
      socket.send(message);
    }
  };
  socket.on('message', (data: Buffer) => {
    const wanted = Wanted.safeParse(safeJson(data));
    if (!wanted.success) {
      socket.close(1003);
      return;
    }
    leave?.();
    leave = site.cameras.live.add({
      cameras: new Set(wanted.data.cameras),
      show: (camera, message) => {
        next.set(camera, message);
        flush();
      },
    });
  });
  socket.on('close', () => leave?.());
  socket.on('error', () => leave?.());
}

function safeJson(data: Buffer): unknown {
  try {
    return JSON.parse(data.toString('utf8'));
  } catch {
    return undefined;
  }
}
