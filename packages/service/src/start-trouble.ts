import { NewerLedger } from './ledger/database.js';
import { WrongKey } from './secrets/vault.js';

/** Why the service could not start, in a sentence with its mend; nothing for what nobody expected. */
export function startTroubleText(error: unknown, { home, host, port }: { home: string; host: string; port: number }): string | undefined {
  if (error instanceof NewerLedger || error instanceof WrongKey) return error.message;
  const { code, message = '' } = error as { code?: string; message?: string };
  switch (code) {
    case 'EADDRINUSE':
      return `Port ${port} on ${host} is taken by another program. End it, or take another port: CAUSALIS_PORT=${port + 100} npm start`;
    case 'EACCES':
    case 'EPERM':
      return `${message}. Give ${home} to the user that starts Causalis, or take another data folder (CAUSALIS_HOME).`;
    case 'EADDRNOTAVAIL':
      return `This machine has no address ${host}: correct CAUSALIS_HOST.`;
    case 'ENOSPC':
      return `There is no room on the disk of ${home}. Make room, then start again; nothing is lost.`;
    default:
      return undefined;
  }
}
