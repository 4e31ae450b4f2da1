import { join, resolve } from 'node:path';
import { isIP } from 'node:net';
import { Reach } from './app';
import { DemoFolders } from './demo';

/** All settings from the environment. */
export interface Config {
  readonly port: number;
  /** Address to listen on; loopback by default. */
  readonly host: string;
  readonly reach: Reach;
  readonly databaseUrl: string;
  /** Rule's data folder: stored versions and temporary files. */
  readonly dataFolder: string;
  /** The built web application; `null` for the API alone. */
  readonly webFolder: string | null;
  readonly vaultUrl: string;
  readonly vaultToken: string;
  /** Demo libraries to load. */
  readonly demo: DemoFolders | null;
  readonly sessionSecret: string;
  readonly logLevel: string;
  readonly workers: number;
  /** Database connections of the server; each worker has two more. */
  readonly connections: number;
}

function number(name: string, otherwise: number): number {
  const text = process.env[name];
  if (text === undefined || text === '') return otherwise;
  const n = Number(text);
  if (!Number.isInteger(n) || n < 1 || n > 65_535) throw new Error(`${name} is ${text}, which is not a port or number.`);
  return n;
}

/** Trusted proxies: a count, or comma-separated addresses and networks. */
function proxies(text: string | undefined): Reach['proxies'] {
  if (!text) return 0;
  if (/^\d+$/.test(text)) return Number(text);
  const list = text.split(',').map((part) => part.trim());
  for (const part of list)
    if (!isIP(part.replace(/\/\d+$/, '')) && !['loopback', 'linklocal', 'uniquelocal'].includes(part))
      throw new Error(`RULE_PROXIES holds ${part}, which is neither a count nor an address.`);
  return list;
}

/** Rule itself speaks HTTP only; HTTPS comes through a proxy. */
function reach(): Reach {
  const way = { proxies: proxies(process.env['RULE_PROXIES']), https: truth('RULE_HTTPS') };
  if (way.https && way.proxies === 0)
    throw new Error('RULE_HTTPS needs RULE_PROXIES as well: the proxy that speaks HTTPS for Rule. Without it, nobody can sign in.');
  return way;
}

function truth(name: string): boolean {
  const text = process.env[name] ?? '';
  if (!['', '0', '1', 'no', 'yes'].includes(text)) throw new Error(`${name} is ${text}; use yes or no.`);
  return text === '1' || text === 'yes';
}

function needed(name: string): string {
  const text = process.env[name];
  if (!text) throw new Error(`${name} is not set. Start Rule with npm start.`);
  return text;
}

/**
 * Reads the configuration from the environment.
 * @throws Error naming the variable
 */
export function readConfig(): Config {
  return {
    port: number('RULE_PORT', 4310),
    host: process.env['RULE_HOST'] || '127.0.0.1',
    reach: reach(),
    databaseUrl: needed('RULE_DATABASE_URL'),
    dataFolder: resolve(process.env['RULE_DATA'] ?? 'var'),
    webFolder: process.env['RULE_WEB'] ? resolve(process.env['RULE_WEB']) : null,
    vaultUrl: process.env['RULE_VAULT_URL'] ?? 'http://127.0.0.1:4311',
    vaultToken: needed('RULE_VAULT_TOKEN'),
    demo: process.env['RULE_DEMO_LIBRARY']
      ? {
          workshop: resolve(process.env['RULE_DEMO_LIBRARY']),
          inherited: process.env['RULE_DEMO_INHERITED'] ? resolve(process.env['RULE_DEMO_INHERITED']) : null,
        }
      : null,
    sessionSecret: needed('RULE_SESSION_SECRET'),
    logLevel: process.env['RULE_LOG'] ?? 'info',
    workers: number('RULE_WORKERS', 2),
    connections: number('RULE_CONNECTIONS', 16),
  };
}

/** Folder of the bundled workers, next to the bundled server. */
export const kernelPath = (distFolder: string): string => join(distFolder, 'geometry.mjs');
export const workerPath = (distFolder: string): string => join(distFolder, 'worker.mjs');
