import { createHash, randomBytes } from 'node:crypto';
import { NewToken, TokenDraft, TokenRow } from '@rule/contract';
import { Db } from '../platform/db';
import { AppError, notFound } from '../platform/problem';
import { User } from './user';

/** Prefix of tokens, for recognition in leaks. */
const PREFIX = 'rule_';

const digest = (token: string) => createHash('sha256').update(token).digest('hex');

/** API tokens. Only their digests are stored. */
export class Tokens {
  constructor(
    private readonly db: Db,
    private readonly clock: () => Date,
  ) {}

  /** The user's tokens; for administrators all. */
  list(user: User): Promise<TokenRow[]> {
    return this.db.all<TokenRow>(
      `SELECT t.id, t.name, t.at, t.used_at AS "usedAt", t.expires_at AS "expiresAt", t.scope, u.display_name AS "by", t.user_id = $1 AS mine
       FROM api_tokens t JOIN users u ON u.id = t.user_id WHERE t.user_id = $1 OR $2 ORDER BY t.user_id = $1 DESC, t.id DESC`,
      [user.id, user.role === 'administrator'],
    );
  }

  /** Creates a token; its text is shown once. Tokens cannot create tokens. */
  async make(user: User, { name, scope, days }: TokenDraft): Promise<NewToken> {
    if (user.scope) throw new AppError(403, 'token-by-token', 'Tokens cannot create tokens. Sign in to create one.');
    const token = `${PREFIX}${randomBytes(32).toString('base64url')}`;
    const at = this.clock();
    const row = await this.db.one<{ id: number }>(
      `INSERT INTO api_tokens (user_id, name, token_hash, at, scope, expires_at)
        VALUES ($1, $2, $3, $4, $5, $4::timestamptz + make_interval(days => $6)) RETURNING id`,
      [user.id, name, digest(token), at, scope, days],
    );
    return { id: row!.id, token };
  }

  /** Revokes a token: one's own, or any as administrator. */
  async remove(user: User, id: number): Promise<void> {
    const gone = await this.db.one('DELETE FROM api_tokens WHERE id = $1 AND (user_id = $2 OR $3) RETURNING id', [id, user.id, user.role === 'administrator']);
    if (!gone) throw notFound(`Token ${id}`);
  }

  /** The user of a token, limited to its scope; `undefined` for unknown, expired or locked ones. */
  async userOf(token: string): Promise<User | undefined> {
    if (!token.startsWith(PREFIX)) return undefined;
    const now = this.clock();
    const found = await this.db.often.one<User & { token: number; unnoted: boolean }>(
      `SELECT u.id, u.name, u.display_name AS "displayName", u.role, t.scope, t.id AS token, t.used_at IS NULL
       OR t.used_at < $2::timestamptz - interval '1 minute' AS unnoted
       FROM api_tokens t JOIN users u ON u.id = t.user_id AND u.state = 'active' WHERE t.token_hash = $1 AND t.expires_at > $2`,
      [digest(token), now],
    );
    if (!found) return undefined;
    const { token: id, unnoted, ...user } = found;
    // Per minute, to avoid constant writes.
    if (unnoted) await this.db.run('UPDATE api_tokens SET used_at = $2 WHERE id = $1', [id, now]);
    return user.scope === 'read' ? { ...user, role: 'viewer' } : user;
  }
}
