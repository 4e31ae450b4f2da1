import { DEMO_BINDINGS, DEMO_COMPANY, DEMO_LAYOUT, DEMO_LINKS, DEMO_PASSWORD, DEMO_PROPERTIES, DEMO_USERS } from '@rule/demo';
import { readSettings, writeSettings } from './schema/settings';
import { Services } from './services';
import { addUser } from './users/users';

/** Loads the demo company into an empty database; does nothing where people exist already. */
export async function loadDemo({ db, properties, libraries, scanner, titleBlocks, boms, vault }: Services, libraryFolder: string): Promise<void> {
  if (await db.one('SELECT 1 FROM users LIMIT 1')) return;
  await writeSettings(db, { ...(await readSettings(db)), company: DEMO_COMPANY });
  const ids = new Map<string, number>();
  for (const draft of DEMO_PROPERTIES) ids.set(draft.writtenName, (await properties.define(draft)).id);
  await libraries.add('Workshop', libraryFolder);
  await scanner.rescan();
  for (const { tag, property, source, format, block } of DEMO_BINDINGS) await titleBlocks.bind({ block, tag, property: ids.get(property)!, source, format });
  await boms.saveLayout(null, { name: DEMO_LAYOUT.name, columns: DEMO_LAYOUT.columns.map((name) => ids.get(name)!) });
  for (const link of DEMO_LINKS) await vault.saveLink(null, link);
  await vault.refreshLocks();
  // People come last: a start that broke off is begun again.
  for (const { name, displayName, role } of DEMO_USERS) await addUser(db, name, displayName, role, DEMO_PASSWORD);
}
