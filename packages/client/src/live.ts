import type { LiveFrame } from '@causalis/contract';
import { addressOf } from './client.js';

/** One message of the live connection: what a camera shows now, and its picture where there is one. */
export interface LiveMessage {
  readonly frame: LiveFrame;
  readonly jpeg: Uint8Array<ArrayBuffer> | undefined;
}

/** Takes a live message apart: four bytes of length, JSON, picture. */
export function readLive(message: ArrayBuffer): LiveMessage {
  const length = new DataView(message).getUint32(0);
  const frame = JSON.parse(new TextDecoder().decode(new Uint8Array(message, 4, length))) as LiveFrame;
  return { frame, jpeg: frame.bytes > 0 ? new Uint8Array(message, 4 + length) : undefined };
}

/** Looks at cameras live over a WebSocket of the page's own origin; returns how to stop. Connects again by itself. */
export function watchLive(site: string, cameras: readonly string[], show: (message: LiveMessage) => void): () => void {
  let socket: WebSocket | undefined;
  let stopped = false;
  let timer: ReturnType<typeof setTimeout> | undefined;
  const open = () => {
    const url = new URL(addressOf('live', { site }), location.href);
    url.protocol = url.protocol === 'https:' ? 'wss:' : 'ws:';
    socket = new WebSocket(url);
    socket.binaryType = 'arraybuffer';
    socket.onopen = () => socket?.send(JSON.stringify({ cameras }));
    socket.onmessage = ({ data }: MessageEvent<ArrayBuffer>) => show(readLive(data));
    socket.onclose = () => {
      if (!stopped) timer = setTimeout(open, 1_000);
    };
  };
  open();
  return () => {
    stopped = true;
    clearTimeout(timer);
    socket?.close();
  };
}
