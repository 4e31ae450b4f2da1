import { FillFile, Filling, editKey, planSections, unpackFill } from '@rule/core/forms';
import { PreparedSchema, checkProposed, groundOn } from '@rule/core/schema';
import { compileStandIns } from '@rule/core/values';
import { addUser } from '../apps/server/src/users/users';
import { best, report } from './measure';
import { openServices } from './services';
import { FILES, RULED, TYPED, fillWide, ruled, typed } from './wide';

const CHOSEN = 5000;
const { services, db, close } = await openServices();
await fillWide(db);
await services.editions.decree(null, 'the schema in force', [...typed, ...ruled]);
await addUser(db, 'bench', 'Bench', 'administrator', 'not a secret');
const user = (await db.one<{ id: number }>('SELECT id FROM users'))!;
const who = { id: user.id, name: 'bench', displayName: 'Bench', role: 'administrator' as const };
const ids = (await db.all<{ id: number }>('SELECT id FROM files ORDER BY id LIMIT $1', [CHOSEN])).map((row) => row.id);
const properties = await services.properties.list(db);
const names = properties.map((property) => property.writtenName);

const data = await services.fill.open(who, { files: ids });
const answer = JSON.stringify(data);
const reading = await best('reading the same rows: the floor', 3, () =>
  db.all(
    `SELECT file_id AS file, place, name, text, form, unit FROM held_values WHERE file_id = ANY($1::int[]) AND holder = '' AND place IN ('property', 'field') AND name = ANY($2::text[])`,
    [ids, names],
  ),
);
report(`Opening a form on ${CHOSEN} files with ${TYPED + RULED} properties (${(answer.length / 2 ** 20).toFixed(1)} MiB of answer)`, [
  reading,
  await best('the server: reading, packing', 3, () => services.fill.open(who, { files: ids })),
  await best('the page: parsing and unpacking the answer, laying the form out, working out all that it shows', 3, () => {
    const { files, wides } = unpackFill((JSON.parse(answer) as typeof data).packed);
    const schema = new PreparedSchema(data.schema, groundOn(compileStandIns([]), data.lists, data.states, 0));
    new Filling(planSections<FillFile>(files, data.schema.forms, data.schema.properties, 'shared'), wides, schema, 'administrator').view(new Map(), new Map());
  }),
]);

const { files, wides } = unpackFill(data.packed);
const schema = new PreparedSchema(data.schema, groundOn(compileStandIns([]), data.lists, data.states, 0));
/** From keystroke to updated form: checks, counts and dependants. */
for (const count of [1, 40, CHOSEN]) {
  const chosen = files.slice(0, count);
  const sections = planSections<FillFile>(chosen, data.schema.forms, data.schema.properties, 'shared');
  const filling = new Filling(sections, wides, schema, 'administrator');
  const input = sections[0]!.form.panels[0]!.inputs.find((entry) => names[properties.findIndex((property) => property.id === entry.property)] === 'Name 1')!;
  const property = properties.find((candidate) => candidate.id === input.property)!;
  let n = 0;
  report(`From keystroke to validated, ${count === 1 ? '1 file' : `${count} files`}`, [
    await best('judging each file once: the floor', 5, () => {
      for (const file of chosen) schema.judge(file);
    }),
    await best('one text typed for all of them', 5, () => filling.view(new Map([[editKey(sections[0]!.key, input.key, ''), `typed ${n++}`]]), new Map())),
    await best('checking one text by its property alone', 5, () => checkProposed(`typed ${n++}`, property, schema.standIns)),
  ]);
}

const pasted = ids.map((file, i) => ({ file, property: properties[1 + (i % 3)]!.id, text: `pasted ${i}` }));
report(`Pasting ${CHOSEN} cells`, [
  await best('inserting as many lines: the floor', 3, async () => {
    await db.run(`INSERT INTO change_sets (title, user_id, state, at) VALUES ('', $1, 'put back', now())`, [user.id]);
    await db.run(
      `INSERT INTO change_lines (change_set_id, file_id, holder, place, name, proposed, reason) SELECT (SELECT max(id) FROM change_sets), f, '', 'property', 'Name 1', '{}', '' FROM unnest($1::int[]) f`,
      [ids],
    );
  }),
  await best('checking every cell as the page does', 3, () => {
    for (const { property, text } of pasted)
      checkProposed(
        text,
        properties.find((candidate) => candidate.id === property)!,
        schema.standIns,
      );
  }),
  await best('the server: checking, lines into the tray, what follows from them', 3, async () => {
    await services.trays.propose(who, pasted, 'pasted');
    await services.trays.drop(who, 'all');
  }),
]);

for (const offset of [0, FILES / 2, FILES - 200])
  report(`A page of 200 rows of the grid of ${FILES} files, from row ${offset}`, [
    await best('the SQL that sorts and reads them alone: the floor', 5, async () => {
      const rows = await db.all<{ id: number }>('SELECT id FROM files WHERE NOT removed ORDER BY path, id LIMIT 200 OFFSET $1', [offset]);
      await db.all(`SELECT file_id, name, text, form, unit FROM held_values WHERE file_id = ANY($1::int[]) AND holder = '' AND name = ANY($2::text[])`, [
        rows.map((row) => row.id),
        names,
      ]);
    }),
    await best('the page as the grid asks for it, with the count of all', 5, () => services.grid.page({ sort: 'file', descending: false, offset, limit: 200 })),
  ]);
await close();
