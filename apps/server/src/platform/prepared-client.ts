import { createHash } from 'node:crypto';
import pg from 'pg';

/** Maximum statements prepared per connection; statements with varying text must not fill the server's memory. */
const MOST_PREPARED = 300;

/** Names of repeated statements by text; unnamed after their first use. */
const names = new Map<string, string | null>();

/** The name of a repeated statement; none for new ones or beyond the limit. */
function nameOf(text: string): string | undefined {
  const known = names.get(text);
  if (known) return known;
  if (known === undefined) {
    if (names.size < MOST_PREPARED) names.set(text, null);
    return undefined;
  }
  const name = `r${createHash('sha1').update(text).digest('hex').slice(0, 30)}`;
  names.set(text, name);
  return name;
}

/** A connection on which PostgreSQL parses each parameterised statement only once. */
class PreparingClient extends pg.Client {
  override query(config: unknown, values?: unknown, callback?: unknown): never {
    const name = typeof config === 'string' && Array.isArray(values) ? nameOf(config) : undefined;
    const ask = super.query.bind(this) as (...args: unknown[]) => unknown;
    return ask(name === undefined ? config : { name, text: config, values }, name === undefined ? values : callback, callback) as never;
  }
}

/** The driver for Sequelize, with preparing connections. */
export const preparingDriver = { ...pg, Client: PreparingClient };
