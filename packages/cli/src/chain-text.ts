import type { Chain, Delivery, Firing } from '@causalis/contract';
import {
  attemptText,
  clockText,
  dateText,
  deliveryText,
  durationText,
  eventText,
  guardText,
  heldText,
  shareText,
  skipText,
} from '@causalis/words';

const ms = (from: string, to: string): number => Date.parse(to) - Date.parse(from);

/** A chain as text: the thread runs down the left, with the milliseconds since the event at each step. */
export function chainText(chain: Chain): string {
  const { event, site } = chain;
  const zero = event.time;
  const lines: string[] = [];
  const at = (time: string) => `+${durationText(ms(zero, time))}`.padStart(10);
  const step = (time: string, text: string) => lines.push(`${at(time)}  ● ${text}`);
  const aside = (text: string) => lines.push(`${' '.repeat(10)}  │   ${text}`);

  lines.push(eventText(event, chain.title));
  lines.push(`${dateText(event.time, site.timezone)} (${site.timezone})${event.test ? ' · test' : ''}`, '');
  step(event.time, `happened at ${event.source.section}/${event.source.key}, ${clockText(event.time, site.timezone, true)}`);
  step(
    event.seen,
    `seen${event.data.level === undefined ? '' : `: level ${shareText(event.data.level)} over ${shareText(event.data.threshold ?? 0)}`}`,
  );
  if (event.still) aside(`picture ${event.still}`);
  step(event.accepted, `accepted as number ${event.number}, judged by revision ${event.revision}`);
  for (const verdict of chain.verdicts.filter((one) => one.verdict === 'held')) {
    lines.push(`${' '.repeat(10)}  ├─○ held: ${verdict.title}: ${heldText(verdict, site.timezone)}`);
  }
  for (const verdict of chain.verdicts.filter((one) => one.verdict === 'fired')) {
    const firing = chain.firings.find(({ id }) => id === verdict.firing);
    lines.push(
      `${firing ? at(firing.at) : ' '.repeat(10)}  ● fired: ${verdict.title}${verdict.guards.length > 0 ? ` (${verdict.guards.map((guard) => guardText(guard)).join('; ')})` : ''}`,
    );
    if (firing) firingLines(firing, at, lines);
  }
  if (chain.verdicts.length === 0) lines.push(`${' '.repeat(10)}  ○ no rule is about such an event`);
  return lines.join('\n');
}

function firingLines(firing: Firing, at: (time: string) => string, lines: string[]): void {
  const gap = ' '.repeat(10);
  for (const action of firing.actions) {
    const waited = action.after.length > 0 ? ` after ${action.after.join(', ')}` : '';
    lines.push(
      `${action.started ? at(action.started) : gap}  ├─ ${action.name}: ${action.verb}${waited}${action.reason ? `, ${skipText(action.reason)}` : ''}`,
    );
    for (const delivery of action.deliveries) deliveryLines(delivery, at, lines);
  }
}

function deliveryLines(delivery: Delivery, at: (time: string) => string, lines: string[]): void {
  const gap = ' '.repeat(10);
  const time = delivery.ended ? at(delivery.ended) : gap;
  lines.push(`${time}  │  ${delivery.state}: ${deliveryText(delivery)}  ${delivery.id}`);
  for (const attempt of delivery.attempts) {
    const { what, mend } = attemptText(attempt);
    lines.push(
      `${at(attempt.began)}  │    attempt ${attempt.number}${attempt.tookMs === undefined ? '' : `, ${durationText(attempt.tookMs)}`}: ${what}${attempt.outcome === 'failed' && mend ? ` — ${mend}` : ''}`,
    );
  }
  for (const receipt of delivery.receipts) lines.push(`${at(receipt.at)}  │    read back: ${receipt.value}`);
}
