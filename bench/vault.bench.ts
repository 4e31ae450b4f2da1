import { newDraft } from '@rule/core/schema';
import { best, report } from './measure';
import { openServices } from './services';

/** 10,000 vault files with eight linked fields each, in all states of agreement. */
const FILES = 10_000;
const RECORDS = 100_000;
const NAMES = ['Number', 'Title', 'Material', 'Mass', 'Supplier', 'Finish', 'Project', 'Drawn by'] as const;
const { services, db, close } = await openServices();

await db.run(`INSERT INTO libraries (name, root, in_vault) VALUES ('Vaulted', '/nowhere/at/all', true)`);
await db.run(
  `INSERT INTO files (library_id, path, folder, name, kind, size, mtime_ms, hash, format, workflow_state)
   SELECT 1, 'parts/P-' || n || '.step', 'parts', 'P-' || n || '.step', 'part', 1000, 0, md5(n::text), 'step', 'open' FROM generate_series(1, ${FILES}) n`,
);
await db.run(
  `INSERT INTO held_values (file_id, holder, place, name, kind, text, form, level)
   SELECT f.id, '', 'property', n.name, f.kind, n.name || ' ' || f.id % 977, 'text', 'document' FROM files f, unnest($1::text[]) n(name)`,
  [NAMES],
);
await db.run(
  `INSERT INTO vault_records (entry_id, path, kind, version, state, record, hash) SELECT f.id, f.path, 'part', 1, 'open',
     (SELECT jsonb_object_agg(n.name, n.name || ' ' || (f.id % 977 + CASE WHEN (f.id + n.at) % 23 = 0 THEN 1 ELSE 0 END)) FROM unnest($1::text[]) WITH ORDINALITY n(name, at)), f.hash FROM files f`,
  [NAMES],
);
const ids = await services.editions.add(
  null,
  NAMES.map((name) => ({ ...newDraft(name), kinds: ['part'] as const })),
);
for (const [i, field] of NAMES.entries())
  await services.editions.saveLink(null, null, {
    field,
    kinds: ['part'],
    classes: [],
    at: [{ property: ids[i]! }],
    in: 'always',
    out: 'always',
    onClash: 'ask',
    states: [],
    step: null,
  });
await db.run(`INSERT INTO vault_said (id, at, definition, link_table) VALUES (1, now(), $1::jsonb, '[]')`, [
  JSON.stringify({
    fields: NAMES.map((name) => ({
      name,
      type: 'text',
      length: null,
      choices: [],
      initial: null,
      required: false,
      kinds: [],
      classes: [],
      fixed: false,
      retired: false,
    })),
    systemFields: [],
    states: ['open'],
    steps: [],
    mayDefine: true,
  }),
]);
await services.editions.bringIntoForce(null, 'for a benchmark', null);
await db.run(
  `INSERT INTO agreed_values (link_id, file_id, value, at, field, leads_to)
   SELECT l.id, f.id, l.field || ' ' || f.id % 977, now(), l.field, l.leads FROM files f,
     (SELECT (link->>'id')::int AS id, link->>'field' AS field, link->'at' AS leads FROM editions e, jsonb_array_elements(e.schema->'links') link WHERE e.state = 'in force') l`,
);
await db.run('ANALYZE');
await services.judgements.settle();

const floor = await best('reading both sides and what they agreed on alone', 5, async () => {
  await db.all('SELECT entry_id, path, version, state, record, hash FROM vault_records');
  await db.all(`SELECT file_id, name, text, form, unit FROM held_values WHERE holder = '' AND place = 'property'`);
  await db.all('SELECT file_id, link_id, value, field, leads_to FROM agreed_values');
});
let acting = 0;
const rehearsed = await best(`rehearsing all ${FILES} files`, 5, async () => {
  acting = (await services.vaultRuns.rehearse(null)).filter((row) => row.counts.in + row.counts.out + row.counts.ask > 0).length;
});
if (acting === 0 || acting === FILES) throw new Error(`${acting} of ${FILES} files have something to pass: the benchmark shows nothing.`);
report(`Vault: ${FILES} files with ${NAMES.length} links each, ${acting} with something to pass`, [floor, rehearsed]);

// Ten times as many records, mostly without library files.
await db.run(
  `INSERT INTO vault_records (entry_id, path, kind, version, state, record, hash)
   SELECT n, 'archive/' || n % 500 || '/A-' || n || '.step', 'part', 1, 'released', jsonb_build_object('Number', 'A-' || n, 'Title', 'archived ' || n), md5(n::text)
   FROM generate_series(${FILES} + 1, ${RECORDS}) n`,
);
await db.run('ANALYZE');
const all = await best('counting the records alone', 5, () => db.all('SELECT count(*) FROM vault_records'));
const looks = [
  await best('the links and the folders', 5, () => services.vault.state()),
  await best('a page of all records', 5, () => services.records.page({ offset: 0, limit: 100 })),
  await best('the last page of all records', 5, () => services.records.page({ offset: RECORDS - 100, limit: 100 })),
  await best('records of a folder', 5, () => services.records.page({ folder: 'archive/77', offset: 0, limit: 100 })),
  await best('records with a text', 5, () => services.records.page({ text: 'archived 77', offset: 0, limit: 100 })),
  await best('the record definition', 5, () => services.definitions.view()),
];
report(`Vault: looks at ${RECORDS} records; none asks the vault`, [all, ...looks]);
await close();
