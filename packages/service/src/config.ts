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
  /** Where cameras that can only send do so: uploads (with ports for their files, from-to) and mail. */
  CAUSALIS_UPLOAD_PORT: port.default(7121),
  CAUSALIS_UPLOAD_DATA_PORTS: z
    .string()
    .regex(/^\d{4,5}-\d{4,5}$/)
    .default('7150-7199'),
  CAUSALIS_MAIL_PORT: port.default(7125),
  /** Another process takes a site over when its holder has been silent for so long, ms. */
  CAUSALIS_LEASE_MS: z.coerce.number().int().min(500).max(600_000).default(10_000),
  /** Days for which the ledger keeps what has happened. */
  CAUSALIS_KEEP_DAYS: z.coerce.number().int().min(2).max(3_650).default(90),
  /** The log goes into this file; else to the standard error. */
  CAUSALIS_LOG_FILE: z.string().min(1).optional(),
  CAUSALIS_LOG: z.enum(['debug', 'info', 'warn', 'error', 'silent']).default('info'),
});

export interface ServiceConfig {
  readonly home: string;
  readonly databaseUrl: string;
  readonly host: string;
  readonly port: number;
  readonly names: readonly string[];
  readonly logLevel: string;
  readonly logFile: string | undefined;
  readonly uploadPort: number;
  readonly uploadDataPorts: readonly [number, number];
  readonly mailPort: number;
  readonly leaseMs: number;
  readonly keepDays: number;
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
    logFile: c.CAUSALIS_LOG_FILE,
    uploadPort: c.CAUSALIS_UPLOAD_PORT,
    uploadDataPorts: c.CAUSALIS_UPLOAD_DATA_PORTS.split('-').map(Number) as [number, number],
    mailPort: c.CAUSALIS_MAIL_PORT,
    leaseMs: c.CAUSALIS_LEASE_MS,
    keepDays: c.CAUSALIS_KEEP_DAYS,
  };
}
