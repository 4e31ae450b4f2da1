import { randomBytes, scrypt, timingSafeEqual } from 'node:crypto';
import { promisify } from 'node:util';
import { Role } from '@rule/contract';
import { Sql } from '../platform/db';
import { User } from './user';

const derive = promisify(scrypt) as (password: string, salt: Buffer, length: number) => Promise<Buffer>;
const LENGTH = 64;

/** Stored password: scrypt with its own salt. */
export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16);
  return `scrypt:${salt.toString('hex')}:${(await derive(password, salt, LENGTH)).toString('hex')}`;
}

async function matches(password: string, kept: string): Promise<boolean> {
  const [, salt, hash] = kept.split(':');
  return timingSafeEqual(await derive(password, Buffer.from(salt!, 'hex'), LENGTH), Buffer.from(hash!, 'hex'));
}

// Constant time, whether the name exists or not.
const NOBODY = hashPassword(randomBytes(16).toString('hex'));

/** Finds a user by name and password; `undefined` if there is none. */
export async function authenticate(sql: Sql, name: string, password: string): Promise<User | undefined> {
  const row = await sql.one<User & { hash: string }>(
    `SELECT id, name, display_name AS "displayName", role, password_hash AS hash, first_password AS "firstPassword"
      FROM users WHERE name = $1 AND state = 'active'`,
    [name],
  );
  const right = await matches(password, row?.hash ?? (await NOBODY));
  if (!row || !right) return undefined;
  const { hash: _, ...user } = row;
  return user;
}

/** The current state of a user, so role changes, locks and removals apply at once. */
export const findUser = (sql: Sql, id: number): Promise<User | undefined> =>
  sql.one<User>(`SELECT id, name, display_name AS "displayName", role, first_password AS "firstPassword" FROM users WHERE id = $1 AND state = 'active'`, [id]);

/** Adds a user unless the name exists. */
export async function addUser(sql: Sql, name: string, displayName: string, role: Role, password: string): Promise<void> {
  await sql.run('INSERT INTO users (name, display_name, role, password_hash) VALUES ($1, $2, $3, $4) ON CONFLICT (name) DO NOTHING', [
    name,
    displayName,
    role,
    await hashPassword(password),
  ]);
}
