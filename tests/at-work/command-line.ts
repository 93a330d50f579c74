import { execFile } from 'node:child_process';
import { fileURLToPath } from 'node:url';

const command = fileURLToPath(new URL('../../../packages/cli/bin/causalis.mjs', import.meta.url));

export interface Said {
  readonly code: number;
  readonly out: string;
  readonly err: string;
}

/** Runs the command line as a person would, signed in to a data folder. */
export async function causalis(home: string, args: readonly string[], input = ''): Promise<Said> {
  return await new Promise((resolve) => {
    const child = execFile(
      process.execPath,
      [command, ...args],
      { env: { PATH: process.env.PATH, CAUSALIS_HOME: home } },
      (error, out, err) => resolve({ code: typeof error?.code === 'number' ? error.code : 0, out, err }),
    );
    child.stdin?.end(input);
  });
}
