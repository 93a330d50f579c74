import type { EventData, EventKind, EventSection } from '@causalis/contract';
import type { Entry } from '@causalis/core';
import type { Clock } from './clock.js';
import { newId } from './ids.js';
import { type Allowance, Buckets, floodMs } from './intake/bucket.js';
import { Refusal } from './problem.js';

export interface OwnEventsParts {
  readonly clock: Clock;
  /** Key of the site. */
  readonly site: string;
  readonly accept: (entry: Entry) => Promise<unknown>;
  /** Room on the disk of the data folder, bytes. */
  readonly room: () => Promise<number>;
  readonly trouble: (error: unknown, what: string) => void;
}

/** The wall clock goes its own small ways; beyond this it has jumped. */
const jumpMs = 2_000;
const lookMs = 1_000;
/** Room is looked at so often. */
const roomEveryMs = 10_000;
/** Below this no pictures are kept, so that what matters more has room: the ledger itself. */
const leastRoomBytes = 512 * 1024 * 1024;
/** Room must be this much more before pictures are kept again. */
const enoughRoomBytes = leastRoomBytes * 1.25;
/** An output that has failed this often in a row is failing. */
const failuresInARow = 5;
/** What is told of an output and of a recogniser that has failed too often in a row, and of one that works again. */
const troubled = {
  outputs: ['output.failing', 'output.working'],
  recognisers: ['recogniser.failing', 'recogniser.working'],
} as const;
/** A hook may report so much: a busy door, not a machine gun. */
export const hooksMay: Allowance = { aSecond: 20, atOnce: 200 };
/** A camera's events of motion. */
const camerasMay: Allowance = { aSecond: 5, atOnce: 50 };

/** The service's own troubles at a site, as events: rules can tell of them. */
export class OwnEvents {
  private readonly parts: OwnEventsParts;
  private readonly failing = new Map<string, { times: number; since: number; told: boolean }>();
  private readonly buckets = { hooks: new Buckets(hooksMay), cameras: new Buckets(camerasMay), inputs: new Buckets(hooksMay) };
  private offset: number;
  private cancelClock: () => void = () => undefined;
  private cancelRoom: () => void = () => undefined;
  private low = false;
  private stopped = false;

  constructor(parts: OwnEventsParts) {
    this.parts = parts;
    this.offset = parts.clock.wall() - parts.clock.steady();
  }

  /** Begins to look; `awayMs` says for how long nobody worked for the site. */
  start(awayMs: number | undefined): void {
    if (awayMs !== undefined) this.tell('service.started', 'site', this.parts.site, { lastedMs: Math.max(0, awayMs) });
    this.lookAtClock();
    void this.lookAtRoom();
  }

  stop(): void {
    this.stopped = true;
    this.cancelClock();
    this.cancelRoom();
  }

  /** Whether there is room for a picture. */
  get hasRoom(): boolean {
    return !this.low;
  }

  /** Whether a source may report now; a flood is told once a minute, with its count. */
  mayReport(section: 'hooks' | 'cameras' | 'inputs', source: string): boolean {
    const { clock } = this.parts;
    const buckets = this.buckets[section];
    const { passes, begins } = buckets.take(source, clock.steady());
    if (begins)
      clock.at(clock.steady() + floodMs, () => {
        const flood = buckets.end(source, clock.steady());
        if (flood && !this.stopped) this.tell('source.flooding', section, source, { count: flood.count, lastedMs: flood.lastedMs });
      });
    return passes;
  }

  /** Sources that a document has no more are forgotten. */
  only(sources: { readonly hooks: readonly string[]; readonly cameras: readonly string[]; readonly inputs: readonly string[] }): void {
    this.buckets.inputs.only(new Set(sources.inputs));
    this.buckets.hooks.only(new Set(sources.hooks));
    this.buckets.cameras.only(new Set(sources.cameras));
  }

  /** What an attempt at an output came to. */
  attempted(output: string, ok: boolean, code: string): void {
    this.tried('outputs', output, ok, code);
  }

  /** How a recogniser did when it was asked. */
  asked(recogniser: string, ok: boolean, reason: string): void {
    this.tried('recognisers', recogniser, ok, reason);
  }

  private tried(section: keyof typeof troubled, source: string, ok: boolean, reason: string): void {
    const [fails, works] = troubled[section];
    const name = `${section}/${source}`;
    const known = this.failing.get(name) ?? { times: 0, since: this.parts.clock.steady(), told: false };
    if (ok) {
      this.failing.delete(name);
      if (known.told) this.tell(works, section, source, { lastedMs: this.parts.clock.steady() - known.since });
      return;
    }
    known.times++;
    this.failing.set(name, known);
    if (known.told || known.times < failuresInARow) return;
    known.told = true;
    this.tell(fails, section, source, { count: known.times, reason });
  }

  /** A jump of the wall clock is an event; what is due after a while comes by the steady one. */
  private lookAtClock(): void {
    const { clock } = this.parts;
    const offset = clock.wall() - clock.steady();
    const byMs = offset - this.offset;
    this.offset = offset;
    if (Math.abs(byMs) > jumpMs) this.tell('clock.jumped', 'site', this.parts.site, { byMs });
    if (!this.stopped) this.cancelClock = clock.at(clock.steady() + lookMs, () => this.lookAtClock());
  }

  private async lookAtRoom(): Promise<void> {
    const { clock, room, site, trouble } = this.parts;
    try {
      const free = await room();
      if (!this.low && free < leastRoomBytes) {
        this.low = true;
        this.tell('storage.low', 'site', site, { free });
      } else if (this.low && free > enoughRoomBytes) {
        this.low = false;
        this.tell('storage.enough', 'site', site, { free });
      }
    } catch (error) {
      trouble(error, 'looking for room');
    }
    if (!this.stopped) this.cancelRoom = clock.at(clock.steady() + roomEveryMs, () => void this.lookAtRoom());
  }

  private tell(kind: EventKind, section: EventSection, source: string, data: EventData): void {
    const wall = this.parts.clock.wall();
    const event = { id: newId(), kind, section, source, data, time: wall, seen: wall, depth: 0, test: false };
    this.keep({ kind: 'event', event });
  }

  /** Nobody else keeps what the service has seen of itself, so it waits here until the ledger has it. */
  private keep(entry: Entry): void {
    const { accept, clock, trouble } = this.parts;
    accept(entry).catch((error: unknown) => {
      if (this.stopped) return;
      if (error instanceof Refusal && error.code === 'ledger-away') clock.at(clock.steady() + lookMs, () => this.keep(entry));
      else trouble(error, 'an event of the service');
    });
  }
}
