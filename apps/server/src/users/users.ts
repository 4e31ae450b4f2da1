import { randomBytes, scrypt, timingSafeEqual } from 'node:crypto';
import { promisify } from 'node:util';
import { Role } from '@rule/contract';
import { Sql } from '../platform/db';
import { User } from './user';

const derive = promisify(scrypt) as (password: string, salt: Buffer, length: number) => Promise<Buffer>;
const LENGTH = 64;

/** A password as it is kept: scrypt with a salt of its own. */
export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16);
  return `scrypt:${salt.toString('hex')}:${(await derive(password, salt, LENGTH)).toString('hex')}`;
}

async function matches(password: string, kept: string): Promise<boolean> {
  const [, salt, hash] = kept.split(':');
  return timingSafeEqual(await derive(password, Buffer.from(salt!, 'hex'), LENGTH), Buffer.from(hash!, 'hex'));
}

// Takes the same time whether the name exists or not.
const NOBODY = hashPassword(randomBytes(16).toString('hex'));

/** Finds the person with a name and password; `undefined` when there is none. */
export async function authenticate(sql: Sql, name: string, password: string): Promise<User | undefined> {
  const row = await sql.one<User & { hash: string }>(
    `SELECT id, name, display_name AS "displayName", role, password_hash AS hash, first_password AS "firstPassword" FROM users WHERE name = $1 AND state = 'active'`,
    [name],
  );
  const right = await matches(password, row?.hash ?? (await NOBODY));
  if (!row || !right) return undefined;
  const { hash: _, ...user } = row;
  return user;
}

/** The person with a number, as it stands now: a role that was taken away is gone at once, and so is someone who is locked or removed. */
export const findUser = (sql: Sql, id: number): Promise<User | undefined> =>
  sql.one<User>(`SELECT id, name, display_name AS "displayName", role, first_password AS "firstPassword" FROM users WHERE id = $1 AND state = 'active'`, [id]);

/** Adds a person, or leaves the one with this name as it is. */
export async function addUser(sql: Sql, name: string, displayName: string, role: Role, password: string): Promise<void> {
  await sql.run('INSERT INTO users (name, display_name, role, password_hash) VALUES ($1, $2, $3, $4) ON CONFLICT (name) DO NOTHING', [
    name,
    displayName,
    role,
    await hashPassword(password),
  ]);
}
