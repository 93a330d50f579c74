import { type ChildProcess, fork } from 'node:child_process';

/** Forks a part, tells it some things first, and waits until it says that it is ready. */
export async function forkReady<M extends { kind: string }>(
  file: string,
  env: NodeJS.ProcessEnv,
  ...first: readonly object[]
): Promise<{ child: ChildProcess; ready: M }> {
  const child = fork(file, [], { env, stdio: ['ignore', 'inherit', 'inherit', 'ipc'] });
  for (const message of first) child.send(message);
  const ready = await new Promise<M>((resolve, reject) => {
    child.once('message', (message: M) => resolve(message));
    child.once('exit', (code, signal) => reject(new Error(`it ended with ${signal ?? code}; see above`)));
    child.once('error', reject);
  });
  return { child, ready };
}

/** Asks a child to end and waits for it; one that does not is ended. */
export async function endChild(child: ChildProcess, patienceMs = 8_000): Promise<void> {
  if (child.exitCode !== null || child.signalCode !== null) return;
  const gone = new Promise((resolve) => child.once('exit', resolve));
  if (child.connected) child.disconnect();
  else child.kill('SIGTERM');
  const hard = setTimeout(() => child.kill('SIGKILL'), patienceMs);
  await gone;
  clearTimeout(hard);
}
