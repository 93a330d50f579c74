/**
 * The way of an entry, from where it is taken in to where its deliveries end: every step has a name. A test that forks
 * the service has it end at each of them as if the power had gone (SIGKILL), to see that nothing is lost and nothing is
 * repeated unmarked.
 */
export const moments = {
  'evidence-written': 'a picture is on the disk, and nothing names it yet',
  accepted: 'an entry waits for its batch',
  judged: 'a batch has been stepped through the core',
  written: 'all its rows are written, and the transaction is open',
  committed: 'it is durable, and nobody knows of it yet',
  kept: 'the state in memory follows it, and its timers are armed',
  'timer-armed': 'a timer of it is armed',
  'claim-set': 'an output is claimed, and its command is not sent yet',
  'timer-due': 'a timer has come due, and its entry is durable',
  'going-back': 'the last claim has ended, and the output is not set back yet',
  answered: 'its source knows that it is accepted',
  'handed-over': 'its deliveries stand before their outputs',
  announced: 'whoever follows the stream is told',
  recovered: 'what an ended process left is due again',
  taken: 'a due delivery is taken out of the queue',
  sending: 'an output is about to be asked',
  sent: 'the output has answered, and nothing is recorded yet',
  recorded: 'the attempt is recorded',
} as const;
export type Moment = keyof typeof moments;

/** A step of a way: what is done, and the moment that it ends with. A step without a moment does not compile. */
export type Step<On> = readonly [moment: Moment, does: (on: On) => void | Promise<void>];

let endAt: Moment | undefined;

/** Arms one moment; only the test channel of `main` calls this. */
export function endAtMoment(moment: Moment): void {
  endAt = moment;
}

/** Passes a named moment. */
export function pass(moment: Moment): void {
  if (endAt === moment) process.kill(process.pid, 'SIGKILL');
}

/** Goes a way step by step, passing the moment of each. */
export async function goThrough<On>(way: readonly Step<On>[], on: On): Promise<void> {
  for (const [moment, does] of way) {
    await does(on);
    pass(moment);
  }
}
