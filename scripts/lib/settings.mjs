import { createServer } from 'node:net';
import { randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join, resolve } from 'node:path';
import { Stop, path } from './shell.mjs';

/** The folder for everything that Rule keeps at run time. */
export const VAR = process.env.RULE_VAR ? resolve(process.env.RULE_VAR) : path('var');

/** Reads a port from the environment. */
export function portOf(name, otherwise) {
  const text = process.env[name];
  if (!text) return otherwise;
  const port = Number(text);
  if (!Number.isInteger(port) || port < 1 || port > 65535) throw new Stop(`${name} is ${text}, which is not a port.`);
  return port;
}

/** Secrets made at the first start and kept readable for the owner alone. */
export function secrets(folder) {
  mkdirSync(folder, { recursive: true });
  const file = join(folder, 'secrets.json');
  if (!existsSync(file)) {
    const secret = () => randomBytes(24).toString('base64url');
    writeFileSync(file, JSON.stringify({ database: secret(), session: secret(), vault: secret(), admin: randomBytes(9).toString('base64url') }), {
      mode: 0o600,
    });
  }
  return JSON.parse(readFileSync(file, 'utf8'));
}

/** A port on loopback that nothing listens on. */
export const freePort = () =>
  new Promise((done) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const { port } = server.address();
      server.close(() => done(port));
    });
  });
