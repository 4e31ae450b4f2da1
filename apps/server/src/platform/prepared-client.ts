import { createHash } from 'node:crypto';
import pg from 'pg';

/** Statements that are prepared once per connection; those with changing texts, such as filters, must not fill the server's memory. */
const MOST_PREPARED = 300;

/** Names of statements that were asked before, by their text; no name yet where the text came once. */
const names = new Map<string, string | null>();

/** The name of a statement that comes again and again; none for one that is new or where there are too many. */
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

/** A connection on which PostgreSQL parses a statement with parameters once, however often it is asked. */
class PreparingClient extends pg.Client {
  override query(config: unknown, values?: unknown, callback?: unknown): never {
    const name = typeof config === 'string' && Array.isArray(values) ? nameOf(config) : undefined;
    const ask = super.query.bind(this) as (...args: unknown[]) => unknown;
    return ask(name === undefined ? config : { name, text: config, values }, name === undefined ? values : callback, callback) as never;
  }
}

/** The driver for Sequelize, with connections that prepare. */
export const preparingDriver = { ...pg, Client: PreparingClient };
