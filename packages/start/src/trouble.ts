import { createServer } from 'node:net';
import { freeBytes } from '@causalis/service';

/** Something that the person who starts Causalis can mend: a sentence with the mend. */
export class StartTrouble extends Error {}

/** Less room than this on the disk, and a start would soon end in the middle of something. */
export const leastRoomBytes = 300 * 1024 * 1024;

/** Refuses a disk without room, before anything is written to it. */
export async function needRoom(folder: string, free: (folder: string) => Promise<number> = freeBytes): Promise<void> {
  const bytes = await free(folder);
  if (bytes >= leastRoomBytes) return;
  const mb = (n: number) => `${Math.floor(n / 1024 / 1024)} MB`;
  throw new StartTrouble(
    `Only ${mb(bytes)} are free on the disk of ${folder}; Causalis wants ${mb(leastRoomBytes)} to start. Make room, or take a data folder on another disk (CAUSALIS_HOME).`,
  );
}

/** Refuses a port that another program listens on, before anything is started. */
export async function needPort(port: number, host: string, mend: string): Promise<void> {
  const server = createServer();
  try {
    await new Promise<void>((resolve, reject) => {
      server.once('error', reject);
      server.listen(port, host, resolve);
    });
  } catch (error) {
    const { code } = error as { code?: string };
    if (code === 'EADDRINUSE') throw new StartTrouble(`Port ${port} on ${host} is taken by another program. End it, or ${mend}`);
    throw error;
  } finally {
    await new Promise((resolve) => server.close(resolve));
  }
}
