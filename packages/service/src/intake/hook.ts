import { BlockList, isIP } from 'node:net';
import { type EventData, type Hook, type HookReport, plainLine } from '@causalis/contract';

/** What a call of a hook brings. */
export interface HookCall {
  readonly method: string;
  readonly address: string;
  readonly body: Buffer;
}

/** A body larger than this is no report of a small thing. */
export const mostHookBytes = 64 * 1024;

function inNetworks(address: string, networks: readonly string[]): boolean {
  const list = new BlockList();
  for (const network of networks) {
    const [base, bits] = network.split('/');
    list.addSubnet(base, Number(bits), isIP(base) === 6 ? 'ipv6' : 'ipv4');
  }
  const plain = address.replace(/^::ffff:/, '');
  return list.check(plain, isIP(plain) === 6 ? 'ipv6' : 'ipv4');
}

/** The value at a JSON Pointer (RFC 6901), or nothing. */
export function valueAt(value: unknown, pointer: string): unknown {
  let here = value;
  for (const step of pointer.split('/').slice(1)) {
    if (typeof here !== 'object' || here === null) return undefined;
    const name = step.replaceAll('~1', '/').replaceAll('~0', '~');
    here = Object.hasOwn(here, name) ? (here as Record<string, unknown>)[name] : undefined;
  }
  return here;
}

const text = (value: unknown, most: number): string | undefined => {
  if (typeof value !== 'string' && typeof value !== 'number') return undefined;
  return plainLine(String(value), most);
};

/** The last call of each hook, for whoever writes its mapping. In memory only: nobody's messages are kept. */
export class LastCalls {
  private readonly calls = new Map<string, NonNullable<HookReport['lastCall']>>();

  note(hook: string, { method, address, body }: HookCall, read: ReturnType<typeof readHookCall>, wall: number): void {
    this.calls.set(hook, {
      at: new Date(wall).toISOString(),
      method,
      address,
      body: withoutControl(body.subarray(0, mostShown).toString('utf8')),
      ...('refused' in read ? { refused: read.refused } : { took: read.data }),
    });
  }

  of(hook: string): HookReport['lastCall'] {
    return this.calls.get(hook);
  }
}

const mostShown = 4_096;
/** A text of several lines without what a terminal could obey. */
const withoutControl = (text: string): string =>
  text
    .split('\n')
    .map((line) => plainLine(line, mostShown))
    .join('\n');

/** What a call says, by the hook's mapping; or why it is refused, which only the integrator learns. */
export function readHookCall(hook: Hook, call: HookCall): { data: EventData } | { refused: string } {
  if (!hook.methods.some((method) => method === call.method)) return { refused: 'method' };
  if (hook.networks && !inNetworks(call.address, hook.networks)) return { refused: 'network' };
  const { label, who, sure } = hook.take;
  if (!label && !who && !sure) return { data: {} };
  let body: unknown;
  try {
    body = call.body.length === 0 ? {} : JSON.parse(call.body.toString('utf8'));
  } catch {
    return { refused: 'not-json' };
  }
  const known = {
    label: label && text(valueAt(body, label), 100),
    who: who && text(valueAt(body, who), 200),
    sure: sure && Number(valueAt(body, sure)),
  };
  return {
    data: {
      ...(known.label ? { label: known.label } : {}),
      ...(known.who ? { who: known.who } : {}),
      ...(typeof known.sure === 'number' && known.sure >= 0 && known.sure <= 1 ? { sure: known.sure } : {}),
    },
  };
}
