import { z } from 'zod';

const port = z.coerce.number().int().min(0).max(65535);

/** What the process is told from outside; everything else is in the document or the ledger. */
const Config = z.object({
  CAUSALIS_HOME: z.string().min(1),
  CAUSALIS_DATABASE_URL: z.string().regex(/^mariadb:\/\//),
  CAUSALIS_HOST: z.string().default('127.0.0.1'),
  CAUSALIS_PORT: port.default(7100),
  /** Names under which the service answers, beside loopback. */
  CAUSALIS_NAMES: z.string().default(''),
  CAUSALIS_LOG: z.enum(['debug', 'info', 'warn', 'error', 'silent']).default('info'),
});

export interface ServiceConfig {
  readonly home: string;
  readonly databaseUrl: string;
  readonly host: string;
  readonly port: number;
  readonly names: readonly string[];
  readonly logLevel: string;
}

/** Reads the environment; throws with a sentence for each value that is wrong. */
export function readConfig(env: NodeJS.ProcessEnv): ServiceConfig {
  const read = Config.safeParse(env);
  if (!read.success) throw new Error(read.error.issues.map(({ path, message }) => `${path.join('.')}: ${message}`).join('; '));
  const c = read.data;
  return {
    home: c.CAUSALIS_HOME,
    databaseUrl: c.CAUSALIS_DATABASE_URL,
    host: c.CAUSALIS_HOST,
    port: c.CAUSALIS_PORT,
    names: c.CAUSALIS_NAMES.split(',').filter(Boolean),
    logLevel: c.CAUSALIS_LOG,
  };
}
