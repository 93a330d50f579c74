import { type AnswerOf, type BodyOf, type PathName, type Problem, paths, type QueryOf, type StreamMessage } from '@causalis/contract';
import { NoServiceError, ProblemError } from './problem.js';
import { followStream } from './stream.js';

export interface ClientOptions {
  /** Such as `http://127.0.0.1:7100`; empty for the page's own origin. */
  readonly base: string;
  /** A token; a browser uses its cookie instead. */
  readonly token?: string;
  readonly fetch?: typeof fetch;
}

export interface CallOptions<N extends PathName> {
  readonly params?: Readonly<Record<string, string>>;
  readonly query?: QueryOf<N>;
  readonly body?: BodyOf<N>;
  readonly headers?: Readonly<Record<string, string>>;
  readonly signal?: AbortSignal;
}

/** The address of a path with its parameters and query. */
export function addressOf(name: PathName, params: Readonly<Record<string, string>> = {}, query: object = {}): string {
  const path = paths[name].path.replace(/:([a-z]+)/g, (_, part: string) => encodeURIComponent(params[part] ?? ''));
  const search = new URLSearchParams(Object.entries(query).flatMap(([key, value]) => (value === undefined ? [] : [[key, String(value)]])));
  return search.size > 0 ? `${path}?${search}` : path;
}

/**
 * The service's HTTP interface, typed by the contract: `call` for JSON, `raw` for texts and pictures, `follow` for what
 * happens. Refusals are `ProblemError`s; a service that is not there is a `NoServiceError`.
 */
export class CausalisClient {
  readonly base: string;
  private readonly token: string | undefined;
  private readonly fetch: typeof fetch;

  constructor(options: ClientOptions) {
    this.base = options.base.replace(/\/$/, '');
    this.token = options.token;
    this.fetch = options.fetch ?? ((input, init) => globalThis.fetch(input, init));
  }

  /** Calls an address and reads its JSON. */
  async call<N extends PathName>(name: N, options: CallOptions<N> = {}): Promise<AnswerOf<N>> {
    const answer = await this.raw(name, options);
    return (await answer.json()) as AnswerOf<N>;
  }

  /** Calls an address and leaves the answer as it is. A text body is sent as YAML, anything else as JSON. */
  async raw<N extends PathName>(name: N, { params, query, body, headers, signal }: CallOptions<N> = {}): Promise<Response> {
    const text = typeof body === 'string';
    const answer = await this.send(addressOf(name, params, query as object | undefined), {
      method: paths[name].method,
      headers: {
        ...(this.token ? { authorization: `Bearer ${this.token}` } : {}),
        ...(body === undefined ? {} : { 'content-type': text ? 'application/yaml' : 'application/json' }),
        ...headers,
      },
      ...(body === undefined ? {} : { body: text ? body : JSON.stringify(body) }),
      ...(signal ? { signal } : {}),
    });
    if (!answer.ok) throw new ProblemError(await problemOf(answer));
    return answer;
  }

  /**
   * What happens at a site, from now on. Connects again by itself and resumes where it was; a message of kind `reset`
   * says that something may have been missed: read afresh. `onState` tells whether the connection stands.
   */
  follow(site: string, signal: AbortSignal, onState?: (connected: boolean) => void): AsyncIterable<StreamMessage> {
    return followStream((headers) => this.raw('stream', { params: { site }, headers, signal }), signal, onState);
  }

  private async send(path: string, init: RequestInit): Promise<Response> {
    try {
      return await this.fetch(`${this.base}${path}`, init);
    } catch (error) {
      if (init.signal?.aborted) throw error;
      throw new NoServiceError(this.base, error);
    }
  }
}

async function problemOf(answer: Response): Promise<Problem> {
  const text = await answer.text();
  try {
    return JSON.parse(text) as Problem;
  } catch {
    return {
      type: 'about:blank',
      title: answer.statusText,
      status: answer.status,
      detail: text.slice(0, 200) || `The service answered ${answer.status}.`,
      code: 'went-wrong',
    };
  }
}
