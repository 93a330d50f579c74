import { createServer, type Server } from 'node:http';
import type { Socket } from 'node:net';
import { simpleParser } from 'mailparser';
import { SMTPServer } from 'smtp-server';
import { listen } from './listen.js';
import { markupFree, page, Repeats } from './page.js';

export interface MailboxOptions {
  readonly port: number;
  readonly pagePort: number;
  readonly user: string;
  readonly password: string;
  /** So many of the last mails are kept. */
  readonly keep?: number;
}

/** A mail that came. */
export interface Mail {
  readonly at: number;
  readonly id: string;
  /** 1 for the first with this Message-ID, more for a repeat. */
  readonly times: number;
  readonly to: string;
  readonly subject: string;
  readonly text: string;
  readonly attempt: string;
  readonly pictures: readonly Buffer[];
}

const usuallyKept = 200;

/** A simulated mail server with one mailbox for everybody, and a page that shows what came. */
export class Mailbox {
  readonly port: number;
  readonly pagePort: number;
  readonly mails: Mail[] = [];
  private readonly smtp: SMTPServer;
  private readonly web: Server;
  private readonly sockets = new Set<Socket>();

  private constructor(smtp: SMTPServer, web: Server, port: number, pagePort: number) {
    smtp.server.on('connection', (socket) => {
      this.sockets.add(socket);
      socket.on('close', () => this.sockets.delete(socket));
    });
    this.smtp = smtp;
    this.web = web;
    this.port = port;
    this.pagePort = pagePort;
    web.on('request', (request, response) => this.show(request.url ?? '/', response));
  }

  static async start(options: MailboxOptions): Promise<Mailbox> {
    const repeats = new Repeats();
    const came = (mail: Mail) => mailbox.mails.push(mail) > (options.keep ?? usuallyKept) && mailbox.mails.shift();
    const smtp = new SMTPServer({
      authOptional: false,
      allowInsecureAuth: true,
      disabledCommands: ['STARTTLS'],
      disableReverseLookup: true,
      size: 20 * 1024 * 1024,
      onAuth: ({ username, password }, _, done) =>
        username === options.user && password === options.password
          ? done(null, { user: username })
          : done(new Error('wrong user or password')),
      onData: (stream, _, done) => {
        simpleParser(stream).then((mail) => {
          const id = mail.messageId ?? '';
          const to = [mail.to ?? []]
            .flat()
            .map(({ text }) => text)
            .join(', ');
          const pictures = mail.attachments.filter(({ contentType }) => contentType === 'image/jpeg').map(({ content }) => content);
          came({
            at: Date.now(),
            id,
            times: repeats.count(id),
            to,
            subject: mail.subject ?? '',
            text: mail.text ?? '',
            attempt: String(mail.headers.get('x-causalis-attempt') ?? '1'),
            pictures,
          });
          done();
        }, done);
      },
    });
    // A client that breaks off is nothing to fall over.
    smtp.on('error', () => undefined);
    const web = createServer();
    const [port, pagePort] = await Promise.all([listen(smtp.server, options.port), listen(web, options.pagePort)]);
    const mailbox = new Mailbox(smtp, web, port, pagePort);
    return mailbox;
  }

  async stop(): Promise<void> {
    this.web.closeAllConnections();
    for (const socket of this.sockets) socket.destroy();
    await Promise.all([new Promise<void>((resolve) => this.smtp.close(resolve)), new Promise((resolve) => this.web.close(resolve))]);
  }

  private show(url: string, response: import('node:http').ServerResponse): void {
    const picture = /^\/picture\/(\d+)\/(\d+)$/.exec(url);
    if (picture) {
      const found = this.mails[Number(picture[1])]?.pictures[Number(picture[2])];
      if (found) response.setHeader('content-type', 'image/jpeg').end(found);
      else response.writeHead(404).end();
      return;
    }
    const shown = this.mails.map(
      (
        mail,
        i,
      ) => `<article><time>${new Date(mail.at).toISOString()}</time> to ${markupFree(mail.to)}${mail.times > 1 ? ` <b class="repeat">repeat, ${mail.times} times with this Message-ID</b>` : ''}
<br><b>${markupFree(mail.subject)}</b><pre>${markupFree(mail.text)}</pre>${mail.pictures.map((_, k) => `<img alt="Picture ${k + 1} of the mail" src="/picture/${i}/${k}">`).join('')}</article>`,
    );
    response
      .setHeader('content-type', 'text/html; charset=utf-8')
      .end(
        page('Mailbox', `A simulated mail server. ${this.mails.length} mails.`, shown.reverse().join('') || '<p>Nothing has come yet.</p>'),
      );
  }
}
