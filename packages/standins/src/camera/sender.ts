import { Readable } from 'node:stream';
import { Client } from 'basic-ftp';
import nodemailer from 'nodemailer';

/** What is typed into a camera that can only send. */
export interface SendsTo {
  readonly host: string;
  readonly port: number;
  readonly user: string;
  readonly password: string;
  /** Folder for uploads. */
  readonly folder?: string;
}
export type SendWay = 'upload' | 'mail';
export type Sends = Partial<Record<SendWay, SendsTo>>;

const patienceMs = 8_000;

/** Brings a file to an account by FTP (RFC 959, passive), as an old camera does. */
export async function upload(to: SendsTo, name: string, bytes: Buffer): Promise<void> {
  const client = new Client(patienceMs);
  try {
    await client.access({ host: to.host, port: to.port, user: to.user, password: to.password });
    if (to.folder && to.folder !== '/') await client.cd(to.folder);
    await client.uploadFrom(Readable.from([bytes]), name);
  } finally {
    client.close();
  }
}

/** Sends a mail with a picture by SMTP with a login, without encryption, as an old camera does. */
export async function mail(to: SendsTo, subject: string, pictures: readonly Buffer[]): Promise<void> {
  const transport = nodemailer.createTransport({
    host: to.host,
    port: to.port,
    secure: false,
    ignoreTLS: true,
    auth: { user: to.user, pass: to.password },
    connectionTimeout: patienceMs,
    greetingTimeout: patienceMs,
    socketTimeout: patienceMs,
  });
  try {
    await transport.sendMail({
      from: 'camera@quillmere.example',
      to: 'causalis@quillmere.example',
      subject,
      text: 'Sent by the camera.',
      attachments: pictures.map((content, i) => ({ filename: `picture-${i + 1}.jpg`, content, contentType: 'image/jpeg' })),
    });
  } finally {
    transport.close();
  }
}

/** What a camera that can only send is set to, and its sending while somebody is in its picture. */
export class Sender {
  private readonly somebody: () => boolean;
  private readonly picture: () => Promise<Buffer>;
  private readonly title: string;
  private readonly timer: NodeJS.Timeout;
  private busy = false;
  private was = false;
  private count = 0;
  /** What the last sending came to, by way. */
  readonly last: Partial<Record<SendWay, string>> = {};
  to: Sends = {};

  constructor(title: string, somebody: () => boolean, picture: () => Promise<Buffer>, everyMs = 4_000) {
    this.title = title;
    this.somebody = somebody;
    this.picture = picture;
    this.timer = setInterval(() => void this.look(), everyMs);
    this.timer.unref();
  }

  stop(): void {
    clearInterval(this.timer);
  }

  /** Sends a picture now; what goes wrong is kept to be shown on its page. */
  async send(way: SendWay): Promise<void> {
    const to = this.to[way];
    if (!to) return;
    try {
      const jpeg = await this.picture();
      if (way === 'upload') await upload(to, `${this.title}-${String(++this.count).padStart(5, '0')}.jpg`, jpeg);
      else await mail(to, `Motion at ${this.title}`, [jpeg]);
      this.last[way] = 'taken';
    } catch (error) {
      this.last[way] = (error as Error).message;
    }
  }

  /** While somebody is in the picture each turn is an upload, and the first a mail. */
  private async look(): Promise<void> {
    if (this.busy) return;
    this.busy = true;
    const now = this.somebody();
    if (now && !this.was) await this.send('mail');
    if (now) await this.send('upload');
    this.was = now;
    this.busy = false;
  }
}
