import { Worker } from 'node:worker_threads';
import { type Finding, type SiteDocument, shapeDocument } from '@causalis/contract';
import { checkDocument } from '@causalis/core';
import { type Examined, examineHere } from './examine-here.js';

/** A text up to this size is read where it arrives: some milliseconds. A larger one would hold up everybody else. */
const mostHere = 64 * 1024;
/** A reader that has nothing to read ends after this. */
const idleMs = 20_000;

/** A thread beside the service that reads large documents, one after the other; it ends when nobody needs it. */
class Reader {
  private worker: Worker | undefined;
  private last: Promise<unknown> = Promise.resolve();
  private idle: NodeJS.Timeout | undefined;

  read(text: string): Promise<Examined> {
    const next = this.last.then(() => this.ask(text));
    this.last = next.catch(() => undefined);
    return next;
  }

  private ask(text: string): Promise<Examined> {
    clearTimeout(this.idle);
    this.worker ??= new Worker(new URL('./worker.js', import.meta.url));
    const { worker } = this;
    worker.ref();
    return new Promise((resolve, reject) => {
      const over = () => {
        worker.off('message', read).off('error', failed).off('exit', ended);
        worker.unref();
        this.idle = setTimeout(() => this.end(), idleMs).unref();
      };
      const read = (examined: string) => {
        over();
        resolve(JSON.parse(examined) as Examined);
      };
      const failed = (error: Error) => {
        over();
        this.end();
        reject(error);
      };
      const ended = () => failed(new Error('the reader of documents ended'));
      worker.on('message', read).on('error', failed).on('exit', ended);
      worker.postMessage(text);
    });
  }

  private end(): void {
    void this.worker?.terminate();
    this.worker = undefined;
  }
}

const reader = new Reader();

/**
 * Reads, shapes and checks a text: the document, or everything that is wrong with it, with line and column. `more` says
 * what else is to be said of it, which only a running site knows and which stands at no line.
 */
export async function examineText(text: string, more: (document: SiteDocument) => Finding[]): Promise<Examined> {
  const examined = text.length <= mostHere ? examineHere(text) : await reader.read(text);
  return examined.document ? { ...examined, findings: [...examined.findings, ...more(examined.document)] } : examined;
}

/** Shapes and checks a document that is no text: findings have paths and no places. */
export function examineValue(value: unknown): Examined {
  const shaped = shapeDocument(value);
  return 'findings' in shaped ? shaped : { document: shaped.document, findings: checkDocument(shaped.document) };
}
