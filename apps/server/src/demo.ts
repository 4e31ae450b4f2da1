import {
  DEMO_BINDINGS,
  DEMO_CLASSES,
  DEMO_COMPANY,
  DEMO_DENSITIES,
  DEMO_FORMS,
  DEMO_KEPT,
  demoLayouts,
  DEMO_LINKS,
  DEMO_REHEARSAL,
  DEMO_PASSWORD,
  DEMO_PROJECTS,
  DEMO_PROPERTIES,
  DEMO_SYNONYMS,
  DEMO_USERS,
} from '@rule/demo';
import { KeptBomView } from '@rule/contract';
import { newInput, readMappingDocument } from '@rule/core/schema';
import { beginAnew } from './platform/migrations';
import { readSettings, writeSettings } from './platform/settings';
import { Services } from './services';
import { addUser } from './users/users';

/** Folders of the demo libraries: the company's own, and the one acquired with the DR-5. */
export interface DemoFolders {
  readonly workshop: string;
  readonly inherited: string | null;
}

/** The demo's kept list in storage form. */
function keptContent(): Pick<KeptBomView, 'headers' | 'lines' | 'totals'> {
  const { headers, rows } = DEMO_KEPT;
  return {
    headers,
    lines: rows.map(([item, quantity, path, ...values]) => {
      const label = path.slice(path.lastIndexOf('/') + 1) || values[1];
      return { key: path || `copy ${label}`, level: 1, item, label, quantity, cells: [item, quantity, label, ...values], path: path || null, hash: null };
    }),
    totals: headers.map(() => ''),
  };
}

/** Loads the demo company into an empty database; does nothing if users exist. */
export async function loadDemo(
  { db, editions, libraries, scanner, classes, bomLayouts, vault, keptRehearsals, projects, layouts }: Services,
  folders: DemoFolders,
): Promise<void> {
  if (await db.one('SELECT 1 FROM users LIMIT 1')) return;
  // An interrupted demo load starts again: nobody could have worked with it.
  if (await db.one('SELECT 1 FROM libraries UNION SELECT 1 FROM properties LIMIT 1')) await beginAnew(db.sequelize);
  const settings = await readSettings(db);
  await writeSettings(db, { ...settings, company: DEMO_COMPANY, densities: DEMO_DENSITIES, synonyms: [...settings.synonyms, ...DEMO_SYNONYMS] });
  const ids = new Map<string, number>();
  const numbers = await editions.add(null, DEMO_PROPERTIES);
  for (const [i, draft] of DEMO_PROPERTIES.entries()) ids.set(draft.writtenName, numbers[i]!);
  for (const { panels, ...form } of DEMO_FORMS) {
    const laid = panels.map(({ title, inputs }, p) => ({
      key: `p${p + 1}`,
      title,
      shownWhen: '',
      inputs: inputs.map(([name, change], i) => ({
        ...newInput(`i${p + 1}${i + 1}`, { ...DEMO_PROPERTIES.find((draft) => draft.writtenName === name)!, id: ids.get(name)! }),
        ...change,
      })),
    }));
    await editions.saveForm(null, { id: null, form: { ...form, panels: laid }, base: null });
  }
  const { bindings, links } = readMappingDocument((await editions.draft()).schema.properties, { bindings: DEMO_BINDINGS, links: DEMO_LINKS });
  await editions.bind(null, bindings);
  for (const link of links) await editions.saveLink(null, null, link);
  await editions.bringIntoForce(null, 'Agreed before the company had Rule.', null);
  const workshop = await libraries.add('Workshop', folders.workshop);
  if (folders.inherited !== null) await libraries.add('Inherited', folders.inherited);
  await scanner.rescan();
  await classes.save(DEMO_CLASSES);
  for (const project of DEMO_PROJECTS) await projects.save(null, project);
  const classIds = new Map((await db.all<{ id: number; name: string }>('SELECT id, name FROM classes')).map((row) => [row.name, row.id]));
  for (const layout of demoLayouts(
    (name) => ids.get(name)!,
    (name) => classIds.get(name)!,
  ))
    await bomLayouts.add(null, layout);
  await db.run(
    `INSERT INTO bom_kept (assembly_id, title, path, layout, edition, at, by_name, content)
      SELECT id, $2, path, '', NULL, $3, $4, $5::jsonb FROM files WHERE path = $1`,
    [DEMO_KEPT.path, DEMO_KEPT.title, DEMO_KEPT.at, DEMO_KEPT.by, JSON.stringify(keptContent())],
  );
  for (const layout of await layouts.purposes()) if (layout.name === 'Whole library' || layout.name === 'Purchasing') await layouts.save(null, null, layout);
  await vault.stand(workshop, true);
  await keptRehearsals.keep({ id: null, displayName: DEMO_REHEARSAL.by }, DEMO_REHEARSAL.title);
  // Users come last: a database without users is not a complete demo.
  for (const { name, displayName, role } of DEMO_USERS) await addUser(db, name, displayName, role, DEMO_PASSWORD);
}
