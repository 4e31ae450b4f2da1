import { addUser } from '../apps/server/src/users/users';
import { report } from './measure';
import { openServices } from './services';
import { FILES, fillWide, ruled, typed } from './wide';

/** Users adding to their trays concurrently. */
const PEOPLE = 50;

const { services, db, close } = await openServices();
await fillWide(db);
await services.editions.decree(null, 'the schema in force', [...typed, ...ruled]);
for (let i = 0; i < PEOPLE; i++) await addUser(db, `person-${i}`, `Person ${i}`, 'editor', 'not a secret');
const users = await db.all<{ id: number; name: string; displayName: string }>('SELECT id, name, display_name AS "displayName" FROM users ORDER BY id');
const properties = await services.properties.list(db);
const files = (await db.all<{ id: number }>('SELECT id FROM files ORDER BY id LIMIT $1', [PEOPLE])).map((row) => row.id);

/** Durations of concurrent additions, sorted. */
async function waits(people: typeof users, text: string): Promise<number[]> {
  const all = people.map(async (user, i) => {
    const began = performance.now();
    await services.trays.propose({ ...user, role: 'editor' }, [{ file: files[i]!, property: properties[1]!.id, text }], 'grid');
    return performance.now() - began;
  });
  return (await Promise.all(all)).sort((a, b) => a - b);
}

await waits(users.slice(0, 1), 'warm');
const alone = (await waits(users.slice(0, 1), 'alone')).at(-1)!;
const together = await waits(users, 'together');
report(`${PEOPLE} people add to their trays at once, in a library of ${FILES} files`, [
  { what: 'one person alone, the floor', ms: alone },
  { what: 'the half that waits least', ms: together[together.length >> 1]! },
  { what: 'the longest wait', ms: together.at(-1)! },
]);
await close();
