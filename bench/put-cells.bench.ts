import { mkdirSync, mkdtempSync, readFileSync, readdirSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { applyEdits } from '@rule/core/files';
import { dxf } from '@rule/core/files/dxf';
import { PLAIN_CELL } from '@rule/core/schema';
import { heldText } from '@rule/core/values';
import { best, report } from './measure';
import { openServices } from './services';

/** 3,000 drawings with two stale cells each. */
const DRAWINGS = 3000;
const sheet = new Uint8Array(readFileSync(join(import.meta.dirname, '../packages/demo/library/DR-15/drawings/face-plate.dxf')));
const root = mkdtempSync(join(tmpdir(), 'rule-bench-drawings-'));
const folder = join(root, 'drawings');
mkdirSync(folder);
for (let n = 0; n < DRAWINGS; n++) writeFileSync(join(folder, `P-${String(n).padStart(5, '0')}.dxf`), sheet);
const { holder } = dxf.read(sheet).inserts[0]!;

// Floor: reading, changing and writing the same files.
const aside = join(root, 'aside');
mkdirSync(aside);
const alone = await best('reading, changing and writing the same files alone: the floor', 1, () => {
  for (const name of readdirSync(folder)) {
    const bytes = new Uint8Array(readFileSync(join(folder, name)));
    dxf.read(bytes);
    const changes = ['TITLE', 'PARTNO'].map((tag) => ({ holder, place: 'cell' as const, name: tag, value: heldText(name) }));
    const after = applyEdits(bytes, dxf.modify(bytes, changes));
    dxf.read(after);
    writeFileSync(join(aside, name), after);
  }
});
rmSync(aside, { recursive: true });

const { services, db, close } = await openServices();
const user = (await db.one<{ id: number }>(
  `INSERT INTO users (name, display_name, role, password_hash) VALUES ('b', 'Bench', 'administrator', '') RETURNING id`,
))!;
const person = { id: user.id, name: 'b', displayName: 'Bench', role: 'administrator' as const };
await services.libraries.add('Drawings', folder);
await services.scanner.rescan();
await services.editions.bind(
  null,
  ['TITLE', 'PARTNO'].map((cell) => ({ block: 'MRW-TITLE', cell, leads: false, shows: [{ fact: 'file name' as const, form: PLAIN_CELL }] })),
);
await services.editions.bringIntoForce(null, 'for a benchmark', null);
const judging = await best('the states of all cells', 1, () => services.judgements.settle());
const tray = await best('all stale cells into the tray', 1, async () => {
  const { lines } = await services.titleBlocks.wished({ block: 'mrw-title', cells: null, drawings: null, wishes: ['stale'] }, []);
  await services.trays.add(person, lines, 'by rule');
});
const applied = await best('applied: checked, written, read again, recorded', 1, async () => {
  const result = await services.applying.applyTray(person, 'whole', 'bench');
  if (result.state !== 'applied' || result.applied !== 2 * DRAWINGS) throw new Error(`Applied ${result.applied} cells: ${result.state}.`);
});
const cleared = await best('old versions beside the files removed, while others go on', 1, () => services.applying.recovery.close());
report(`All cells of ${DRAWINGS.toLocaleString('en')} drawings put in order (aim: at most twice the floor)`, [
  alone,
  judging,
  tray,
  applied,
  { what: 'tray and applying together', ms: tray.ms + applied.ms },
  cleared,
]);
await close();
rmSync(root, { recursive: true });
