import { randomBytes, randomInt } from 'node:crypto';
import { EventEmitter } from 'node:events';
import { FirstPassword, PersonChange, PersonDraft, PersonRow, SHORTEST_PASSWORD } from '@rule/contract';
import { Db, Sql } from '../platform/db';
import { invalid, notFound, refused } from '../platform/problem';
import { User } from './user';
import { authenticate, hashPassword } from './users';

/** Characters of initial passwords, without ambiguous ones. */
const LETTERS = 'abcdefghjkmnpqrstuvwxyz23456789';

/** An initial password. */
const firstPassword = (): string => Array.from({ length: 4 }, () => Array.from({ length: 4 }, () => LETTERS[randomInt(LETTERS.length)]).join('')).join('-');

/** An unusable password hash for removed users. */
const nothing = () => hashPassword(randomBytes(32).toString('hex'));

/** Users: identity, role and access. */
export class People {
  /** Emits the number of a user whose sessions or tokens ended here. */
  readonly ended = new EventEmitter().setMaxListeners(0);

  constructor(private readonly db: Db) {}

  list(): Promise<PersonRow[]> {
    return this.db.all<PersonRow>(
      `SELECT u.id, u.name, u.display_name AS "displayName", u.role, u.state = 'locked' AS locked, u.first_password AS "firstPassword",
         u.signed_in_at AS "signedInAt",
         (SELECT count(*)::int FROM api_tokens t WHERE t.user_id = u.id AND t.expires_at > now()) AS tokens
       FROM users u WHERE u.state <> 'removed' ORDER BY u.display_name, u.id`,
    );
  }

  /**
   * Adds a user.
   * @returns the initial password, shown once
   */
  async add({ name, displayName, role }: PersonDraft): Promise<FirstPassword> {
    const password = firstPassword();
    const row = await this.db.one<{ id: number }>(
      `INSERT INTO users (name, display_name, role, password_hash, first_password) VALUES ($1, $2, $3, $4, true) ON CONFLICT (name) DO NOTHING RETURNING id`,
      [name, displayName, role, await hashPassword(password)],
    );
    if (!row) throw refused('name-taken', `The sign-in name ${name} is already in use.`);
    return { id: row.id, password };
  }

  /** Changes a user's name and role. An administrator must remain. */
  async change(by: Pick<User, 'id'>, id: number, { displayName, role, locked }: PersonChange): Promise<PersonRow> {
    if (id === by.id && locked) throw refused('yourself', 'You cannot lock yourself out.');
    await this.db.transaction(async (sql) => {
      if (role !== 'administrator' || locked) await leaveAdministrator(sql, id);
      const changed = await sql.run(`UPDATE users SET display_name = $2, role = $3, state = $4 WHERE id = $1 AND state <> 'removed'`, [
        id,
        displayName,
        role,
        locked ? 'locked' : 'active',
      ]);
      if (changed === 0) throw notFound(`Person ${id}`);
      if (locked) await endSessions(sql, id);
    });
    if (locked) this.ended.emit('person', id);
    return this.get(id);
  }

  /** Sets a new initial password and ends all sessions. */
  async reset(id: number): Promise<FirstPassword> {
    const password = firstPassword();
    const hash = await hashPassword(password);
    await this.db.transaction(async (sql) => {
      const changed = await sql.run(`UPDATE users SET password_hash = $2, first_password = true WHERE id = $1 AND state <> 'removed'`, [id, hash]);
      if (changed === 0) throw notFound(`Person ${id}`);
      await endSessions(sql, id);
    });
    this.ended.emit('person', id);
    return { id, password };
  }

  /** Removes a user. History keeps the name; nobody can sign in as them. */
  async remove(by: Pick<User, 'id'>, id: number): Promise<void> {
    if (id === by.id) throw refused('yourself', 'You cannot remove yourself; ask another administrator.');
    const hash = await nothing();
    await this.db.transaction(async (sql) => {
      await leaveAdministrator(sql, id);
      // Frees the name.
      const removed = await sql.run(
        `UPDATE users
          SET state = 'removed', name = 'removed ' || id, password_hash = $2, first_password = false, role = 'viewer'
          WHERE id = $1 AND state <> 'removed'`,
        [id, hash],
      );
      if (removed === 0) throw notFound(`Person ${id}`);
      await endSessions(sql, id);
      await sql.run('DELETE FROM api_tokens WHERE user_id = $1', [id]);
    });
    this.ended.emit('person', id);
  }

  /** Changes the user's own name. */
  async rename(user: Pick<User, 'id'>, displayName: string): Promise<void> {
    await this.db.run('UPDATE users SET display_name = $2 WHERE id = $1', [user.id, displayName]);
  }

  /** Changes the user's own password and ends all other sessions. */
  async changePassword(user: User, current: string, next: string, session: string): Promise<void> {
    if (!(await authenticate(this.db, user.name, current))) throw invalid('wrong-password', 'The current password is wrong.');
    if ([...next].length < SHORTEST_PASSWORD) throw invalid('short-password', `A password needs at least ${SHORTEST_PASSWORD} characters.`);
    if (next === current) throw invalid('same-password', 'This is already your password.');
    if (next.toLowerCase().includes(user.name.toLowerCase())) throw invalid('name-in-password', 'A password must not contain your sign-in name.');
    const hash = await hashPassword(next);
    await this.db.transaction(async (sql) => {
      await sql.run('UPDATE users SET password_hash = $2, first_password = false WHERE id = $1', [user.id, hash]);
      await sql.run(`DELETE FROM session WHERE sess->>'userId' = $1 AND sid <> $2`, [String(user.id), session]);
    });
    this.ended.emit('person', user.id);
  }

  private async get(id: number): Promise<PersonRow> {
    return (await this.list()).find((person) => person.id === id)!;
  }
}

/** Ensures that an administrator remains. Concurrent removals are serialised. */
async function leaveAdministrator(sql: Sql, id: number): Promise<void> {
  const left = await sql.all<{ id: number }>(`SELECT id FROM users WHERE role = 'administrator' AND state = 'active' ORDER BY id FOR UPDATE`);
  if (left.some((row) => row.id === id) && left.length === 1)
    throw refused('last-administrator', 'This is the last administrator. Give someone else that role first.');
}

const endSessions = (sql: Sql, id: number) => sql.run(`DELETE FROM session WHERE sess->>'userId' = $1`, [String(id)]);
