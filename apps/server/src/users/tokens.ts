import { createHash, randomBytes } from 'node:crypto';
import { NewToken, TokenRow } from '@rule/contract';
import { Db } from '../platform/db';
import { notFound } from '../platform/problem';
import { User } from './user';

/** How a token begins, so that it is recognised where it should not stand. */
const PREFIX = 'rule_';

const digest = (token: string) => createHash('sha256').update(token).digest('hex');

/** Tokens by which programs act for a person. Only their digests are kept. */
export class Tokens {
  constructor(
    private readonly db: Db,
    private readonly clock: () => Date,
  ) {}

  list(user: User): Promise<TokenRow[]> {
    return this.db.all<TokenRow>('SELECT id, name, at, used_at AS "usedAt" FROM api_tokens WHERE user_id = $1 ORDER BY id DESC', [user.id]);
  }

  /** Makes a token; its text is said this once. */
  async make(user: User, name: string): Promise<NewToken> {
    const token = `${PREFIX}${randomBytes(32).toString('base64url')}`;
    const row = await this.db.one<{ id: number }>('INSERT INTO api_tokens (user_id, name, token_hash, at) VALUES ($1, $2, $3, $4) RETURNING id', [
      user.id,
      name,
      digest(token),
      this.clock(),
    ]);
    return { id: row!.id, token };
  }

  async remove(user: User, id: number): Promise<void> {
    const gone = await this.db.one('DELETE FROM api_tokens WHERE id = $1 AND user_id = $2 RETURNING id', [id, user.id]);
    if (!gone) throw notFound(`Token ${id}`);
  }

  /** The person for whom a token acts; `undefined` for texts that are none. */
  async userOf(token: string): Promise<User | undefined> {
    if (!token.startsWith(PREFIX)) return undefined;
    return this.db.one<User>(
      `WITH t AS (UPDATE api_tokens SET used_at = $2 WHERE token_hash = $1 RETURNING user_id)
       SELECT u.id, u.name, u.display_name AS "displayName", u.role FROM users u JOIN t ON t.user_id = u.id`,
      [digest(token), this.clock()],
    );
  }
}
