/**
 * Named moments on the way of an entry. A test that forks the service can have it end at one of them as if the
 * power had gone (SIGKILL), to see that nothing is lost and nothing is repeated unmarked.
 */
export const moments = ['evidence-written', 'before-commit', 'committed', 'sending', 'answered', 'attempt-recorded'] as const;
export type Moment = (typeof moments)[number];

let endAt: Moment | undefined;

/** Arms one moment; only the test channel of `main` calls this. */
export function endAtMoment(moment: Moment): void {
  endAt = moment;
}

/** Passes a named moment. */
export function pass(moment: Moment): void {
  if (endAt === moment) process.kill(process.pid, 'SIGKILL');
}
