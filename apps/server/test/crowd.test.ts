import { afterAll, beforeAll, expect, it } from '@jest/globals';
import { Db } from '../src/platform/db';
import { Rule, startRule } from './harness';

let rule: Rule;
beforeAll(async () => {
  rule = await startRule();
});
afterAll(() => rule.stop());

/** Editors, each with a token. */
async function people(count: number): Promise<string[]> {
  const ids = await rule.db.all<{ id: number; name: string; displayName: string; role: 'editor' }>(
    `INSERT INTO users (name, display_name, role, password_hash) SELECT 'person-' || i, 'Person ' || i, 'editor', 'none' FROM generate_series(1, $1::int) i
     RETURNING id, name, display_name AS "displayName", role`,
    [count],
  );
  return Promise.all(ids.map(async (user) => (await rule.services.tokens.make(user, { name: 'a test', scope: 'work', days: 1 })).token));
}

const add = (token: string, values: readonly { file: number; property: number; text: string }[]) =>
  fetch(`${rule.url}/api/tray`, {
    method: 'POST',
    headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
    body: JSON.stringify({ values, reason: 'grid' }),
  });

it('takes fifty people who add at once: nobody is refused, and nobody waits for a connection that waits for another', async () => {
  const tokens = await people(50);
  const [material, description] = await Promise.all([rule.property('Material'), rule.property('Description')]);
  const parts = await rule.db.all<{ id: number }>(`SELECT id FROM files WHERE kind = 'part' AND lock_reason IS NULL AND NOT removed ORDER BY id`);
  const of = (i: number) => parts[i % parts.length]!.id;
  const answers = await Promise.all(
    tokens.flatMap((token, i) => [
      add(token, [{ file: of(i), property: material, text: '1.4301' }]),
      add(token, [{ file: of(i + 1), property: description, text: `typed by ${i}` }]),
      add(token, [{ file: of(i + 2), property: description, text: `typed by ${i} as well` }]),
    ]),
  );
  const bodies = await Promise.all(answers.map((answer) => answer.text()));
  expect(answers.map((answer, i) => (answer.status < 300 ? 'added' : bodies[i])).filter((text) => text !== 'added')).toEqual([]);
  const { lines } = (await rule.db.one<{ lines: number }>(
    `SELECT count(*)::int AS lines FROM change_lines l JOIN change_sets s ON s.id = l.change_set_id AND s.state = 'pending' WHERE l.reason = 'grid' AND NOT l.follows`,
  ))!;
  expect(lines).toBeGreaterThanOrEqual(100);
});

it('tells work inside a transaction that asks the pool for a second connection', async () => {
  const { db } = rule;
  await expect(db.transaction(async () => db.one('SELECT 1'))).rejects.toThrow('a second connection');
  await expect(db.transaction(async (sql) => sql.one('SELECT 1'))).resolves.toBeDefined();
  const told: string[] = [];
  const lenient = new Db(rule.databaseUrl, 2, (problem) => told.push(problem.message));
  await lenient.transaction(async () => lenient.one('SELECT 1'));
  expect(told).toHaveLength(1);
  await lenient.close();
});

it('lets work under a named lock use the pool, and one at a time', async () => {
  const seen: string[] = [];
  await Promise.all(
    ['a', 'b'].map((name) =>
      rule.db.exclusive(9999, async () => {
        seen.push(`${name} begins`);
        await rule.db.one('SELECT pg_sleep(0.02)');
        seen.push(`${name} ends`);
      }),
    ),
  );
  expect(seen).toEqual(['a begins', 'a ends', 'b begins', 'b ends']);
});
