import { Line } from '@rule/core/changes';
import { FileFacts } from '@rule/core/schema';
import { heldText } from '@rule/core/values';
import { loadFacts, surroundingsOf } from '../apps/server/src/schema/facts';
import { prepare } from '../apps/server/src/schema/prepared';
import { tryPage } from '../apps/server/src/rollout/try.thread';
import { best, report } from './measure';
import { openServices } from './services';
import { FILES, RULED, TYPED, fillWide, ruled, typed } from './wide';

const PAGE = 2000;
const CHANGED = 1000;
const { services, db, close } = await openServices();

await fillWide(db);

await services.editions.decree(null, 'the schema in force', [...typed, ...ruled]);
// The draft shortens one length and changes one rule.
const { schema } = await services.editions.draft();
await services.editions.edit(null, [
  ...schema.properties
    .filter((property) => property.writtenName === 'Name 1')
    .map(({ id, retired, ...draft }) => ({ id, base: null, draft: { ...draft, maxLength: 7 }, retired })),
  ...schema.properties
    .filter((property) => property.writtenName === 'Rule 2')
    .map(({ id, retired, ...draft }) => ({ id, base: null, draft: { ...draft, rule: 'if Name 4 > 4000 then "heavy" else "light"' }, retired })),
]);

const prepared = await prepare(db, (await services.editions.inForce(db)).schema, new Date());
const around = surroundingsOf([prepared]);
const ids = (await db.all<{ id: number }>('SELECT id FROM files ORDER BY id')).map((row) => row.id);
const pages = Array.from({ length: Math.ceil(ids.length / PAGE) }, (_, i) => ids.slice(i * PAGE, (i + 1) * PAGE));

const reading = await best('reading the same rows: the floor', 2, async () => {
  for (const page of pages)
    await db.all(
      `SELECT file_id AS file, place, name, text, form, unit FROM held_values WHERE file_id = ANY($1::int[]) AND holder = '' AND place IN ('property', 'field') AND name = ANY($2::text[])`,
      [page, around.names],
    );
});
const someFacts: FileFacts[] = [...(await loadFacts(db, pages[0]!, around)).values()];
const judging = await best('judging alone, by one edition, values in memory', 3, () => {
  for (const _page of pages) for (const facts of someFacts) prepared.judge(facts);
});
const trying = await best('trying the draft: reading, judging twice, storing what differs', 1, async () => {
  const { id } = (await db.one<{ id: number }>(
    `INSERT INTO tries (edition_id, revision, at) SELECT id, revision, now() FROM editions WHERE state = 'draft' RETURNING id`,
  ))!;
  for (let after = 0; ;) {
    const page = await tryPage({ id, after, limit: PAGE }, db);
    if (page.last === null) break;
    after = page.last;
  }
});
const found = (await db.one<{ n: number }>('SELECT count(*)::int AS n FROM try_findings'))!.n;
report(`Trying a draft with ${TYPED + RULED} properties, ${RULED} of them ruled, on ${FILES} documents (${found} findings)`, [reading, judging, trying]);

const lines = ids.slice(0, CHANGED).map((file): Line => ({
  address: { file, holder: '', place: 'property', name: 'Name 1' },
  base: null,
  proposed: heldText('changed'),
  reason: '',
  follows: false,
}));
report(`What follows from a change of ${CHANGED} values`, [
  await best('reading the values of the same files: the floor', 5, () => loadFacts(db, ids.slice(0, CHANGED), around)),
  await best('finding what looks at them, computing it anew, and the lines that follow', 5, () => services.derived.following(db, lines)),
]);
await close();
