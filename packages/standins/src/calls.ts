import { createServer, type Server } from 'node:http';
import { Webhook } from 'standardwebhooks';
import { listen } from './listen.js';
import { markupFree, page, Repeats } from './page.js';

export interface CallsOptions {
  readonly port: number;
  /** The secret that calls are signed with; without one nothing is checked. */
  readonly secret?: string;
  /** So many of the last calls are kept. */
  readonly keep?: number;
}

/** A call that came. */
export interface Call {
  readonly at: number;
  readonly key: string;
  readonly times: number;
  readonly attempt: string;
  readonly signed: 'right' | 'wrong' | 'not checked';
  readonly body: Record<string, unknown>;
}

const usuallyKept = 200;
const mostBody = 1024 * 1024;

/** A simulated system that is called over HTTP at `/in`, and shows what came at `/`. */
export class CallReceiver {
  readonly port: number;
  readonly calls: Call[] = [];
  /** The status of the next answers, first in first out; 200 when there is none. */
  readonly nextStatus: number[] = [];
  /** So many of the next calls are taken and never answered: the line is cut instead. */
  cutNext = 0;
  private readonly server: Server;
  private readonly options: CallsOptions;
  private readonly repeats = new Repeats();

  private constructor(options: CallsOptions, server: Server, port: number) {
    this.options = options;
    this.server = server;
    this.port = port;
    server.on('request', (request, response) => {
      if (request.method !== 'POST') {
        response.setHeader('content-type', 'text/html; charset=utf-8').end(this.page());
        return;
      }
      const parts: Buffer[] = [];
      let size = 0;
      request.on('data', (part: Buffer) => {
        size += part.length;
        if (size > mostBody) request.destroy();
        else parts.push(part);
      });
      request.on('end', () => {
        const status =
          this.nextStatus.shift() ?? this.take(Buffer.concat(parts).toString('utf8'), request.headers as Record<string, string>);
        if (status === 200 && this.cutNext > 0) {
          this.cutNext--;
          request.socket.destroy();
          return;
        }
        response.writeHead(status, { 'content-type': 'text/plain' }).end(status === 200 ? 'taken' : 'not taken');
      });
    });
  }

  static async start(options: CallsOptions): Promise<CallReceiver> {
    const server = createServer();
    return new CallReceiver(options, server, await listen(server, options.port));
  }

  async stop(): Promise<void> {
    this.server.closeAllConnections();
    await new Promise((resolve) => this.server.close(resolve));
  }

  private take(body: string, headers: Record<string, string>): number {
    let signed: Call['signed'] = 'not checked';
    if (this.options.secret !== undefined) {
      try {
        new Webhook(Buffer.from(this.options.secret).toString('base64')).verify(body, headers);
        signed = 'right';
      } catch {
        signed = 'wrong';
      }
    }
    const key = headers['webhook-id'] ?? '';
    this.calls.push({
      at: Date.now(),
      key,
      times: this.repeats.count(key),
      attempt: headers['causalis-attempt'] ?? '',
      signed,
      body: JSON.parse(body) as Record<string, unknown>,
    });
    if (this.calls.length > (this.options.keep ?? usuallyKept)) this.calls.shift();
    return signed === 'wrong' ? 401 : 200;
  }

  private page(): string {
    const shown = this.calls.map(
      (
        call,
      ) => `<article><time>${new Date(call.at).toISOString()}</time> signature ${call.signed}${call.times > 1 ? ` <b class="repeat">repeat, ${call.times} times with this key</b>` : ''}
<pre>${markupFree(JSON.stringify(call.body, null, 2))}</pre></article>`,
    );
    return page(
      'Depot desk',
      `A simulated system that is called. ${this.calls.length} calls.`,
      shown.reverse().join('') || '<p>Nothing has come yet.</p>',
    );
  }
}
