import { newDraft } from '@rule/core/schema';
import { best, report } from './measure';
import { openServices } from './services';

/** Ten thousand files of a vault, each with eight linked fields: some equal, some changed on either side, some on both. */
const FILES = 10_000;
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
  `INSERT INTO vault_records SELECT f.id, f.path, 1, 'open', NULL,
     (SELECT jsonb_object_agg(n.name, n.name || ' ' || (f.id % 977 + CASE WHEN (f.id + n.at) % 23 = 0 THEN 1 ELSE 0 END)) FROM unnest($1::text[]) WITH ORDINALITY n(name, at)), f.hash FROM files f`,
  [NAMES],
);
const ids = await services.editions.add(
  null,
  NAMES.map((name) => ({ ...newDraft(name), kinds: ['part'] as const })),
);
for (const [i, field] of NAMES.entries())
  await services.editions.saveLink(null, null, { field, kind: 'part', at: { property: ids[i]! }, in: 'always', out: 'always', onClash: 'ask' });
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
const look = await best('a look at the links and the files of the vault', 5, () => services.vault.state());
report(`Vault: ${FILES} files with ${NAMES.length} links each, ${acting} with something to pass`, [floor, rehearsed, look]);
await close();
