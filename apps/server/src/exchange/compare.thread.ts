import { ReadingChoice } from '@rule/contract';
import { Comparison, FoundRow, KnownFile, LostRow, RowIdentity, TakeBackCell, TakeBackCounts, shapeOf } from '@rule/core/exchange';
import { Property, PropertyLevel, isHeldAt } from '@rule/core/schema';
import { HeldValue, compileStandIns } from '@rule/core/values';
import { FILE_STATE, STATE_FROM } from '../library/file-state';
import { CopyValue, Db } from '../platform/db';
import { Progress } from '../platform/progress';
import { readSettings } from '../platform/settings';
import { FileStore } from '../platform/store';
import { clashesOf } from '../schema/unique';
import { User } from '../users/user';
import { heldFor, heldInside } from '../values/held';
import { Attempt, BaseRow, Sent, TableInput, basesOf, batchesOf, filesAt, openTable, outcome, plainPath, sentOf, translation } from './opened-table';

declare module '../platform/pool' {
  interface Tasks {
    readonly compareTable: (input: CompareInput) => Promise<Attempt<Compared>>;
  }
}

export interface CompareInput extends TableInput {
  readonly takeBack: number;
  readonly job: number | null;
  readonly role: User['role'];
}

/** The result of a comparison, besides the stored cells. */
export interface Compared {
  readonly counts: TakeBackCounts;
  readonly sendOuts: readonly number[];
  readonly note: string | null;
}

/** Compares a table cell by cell with the send-out and the current values; stores every changed cell. */
export async function compareTable(input: CompareInput, db: Db, store: FileStore): Promise<Attempt<Compared>> {
  return outcome(async () => {
    const made = await openTable(db, input, await store.get(input.hash));
    const progress = new Progress(db, input.job);
    const settings = await readSettings(db);
    const shape = shapeOf(made.matches, made.properties);
    const active = [...made.properties.values()].filter((property) => !property.retired);
    const byName = new Map(active.map((property) => [property.writtenName, property]));
    const comparison = new Comparison({
      shape,
      standIns: compileStandIns(settings.standIns),
      role: input.role,
      decimal: made.decimal,
      onlyBlanks: input.choice.onlyBlanks ?? false,
      named: (name) => byName.get(name),
    });
    const asked = shape.valueAt >= 0 ? active : shape.columns.map((column) => column.property);
    // Rows of other send-outs may follow.
    const sent = new Map(made.sent.map((entry) => [entry.id, entry]));
    await db.run('DELETE FROM take_back_cells WHERE take_back_id = $1', [input.takeBack]);
    await db.run('DELETE FROM take_back_issues WHERE take_back_id = $1', [input.takeBack]);
    const total =
      ((await db.one<{ rows: number }>(`SELECT (inspection->>'rows')::int AS rows FROM take_backs WHERE id = $1`, [input.takeBack]))?.rows ?? 0) || 1;
    let [done, stored] = [0, 0];
    for (const batch of batchesOf(made)) {
      const identities = batch.map(({ cells }) => comparison.identify(cells));
      const marks = identities.flatMap((identity) => identity?.mark ?? []);
      const strange = [...new Set(marks.map((mark) => mark.sendOut))].filter((id) => !sent.has(id));
      for (const entry of strange.length ? await sentOf(db, strange) : []) sent.set(entry.id, entry);
      const found = await findRows(db, identities, { sent, byName, asked, choice: input.choice });
      const cells: TakeBackCell[] = [];
      const issues: CopyValue[][] = [];
      batch.forEach(({ row, cells: own }, i) => {
        if (!identities[i]) return;
        const told = comparison.take(row, own, found[i]!);
        cells.push(...told.cells);
        if (told.issue) issues.push([input.takeBack, told.issue.row, told.issue.code, told.issue.message, told.issue.cells]);
      });
      await storeCells(db, input.takeBack, stored, cells, made.properties);
      stored += cells.length;
      if (issues.length) await db.copy('take_back_issues (take_back_id, row, code, message, cells)', issues);
      done += batch.length;
      await progress.at('comparing', Math.min(done, total), total);
    }
    const clashes = await refuseClashes(db, input.takeBack, asked);
    const { counts, sendOuts } = comparison;
    return { counts: { ...counts, change: counts.change - clashes, error: counts.error + clashes }, sendOuts, note: made.opened.source.note };
  });
}

/** Finds the subjects of rows, their sent values and current values, with a few statements per batch. */
export async function findRows(
  db: Db,
  identities: readonly (RowIdentity | null)[],
  surroundings: {
    readonly sent: ReadonlyMap<number, Sent>;
    readonly byName: ReadonlyMap<string, Property>;
    readonly asked: readonly Property[];
    readonly choice: ReadingChoice;
  },
): Promise<(FoundRow | LostRow | null)[]> {
  const numbers = new Map([...surroundings.byName].map(([name, property]) => [name, property.id]));
  const bases = await basesOf(
    db,
    [...surroundings.sent.values()],
    numbers,
    identities.flatMap((identity) => identity?.mark ?? []),
  );
  const baseOf = (identity: RowIdentity) => (identity.mark ? bases.get(`${identity.mark.sendOut}/${identity.mark.row}`) : undefined);
  const paths = identities.flatMap((identity) => (identity && !baseOf(identity) && identity.path ? [plainPath(identity.path)] : []));
  const byPath = await filesAt(db, [...new Set(paths)]);
  const ids = [...new Set([...bases.values()].map((base) => base.file))];
  const byId = new Map(
    (ids.length ? await db.all<KnownFile>(`SELECT ${FILE_STATE} FROM ${STATE_FROM} WHERE NOT f.removed AND f.id = ANY($1::int[])`, [ids]) : []).map((file) => [
      file.id,
      file,
    ]),
  );
  const resolved = identities.map((identity): { file: KnownFile; base: BaseRow | undefined } | LostRow | null => {
    if (!identity) return null;
    const base = baseOf(identity);
    if (base) {
      const file = byId.get(base.file);
      return file
        ? { file, base }
        : { code: 'unknown-file', message: `${JSON.stringify(identity.path || `Row ${base.n} of send-out ${base.sendOut}`)} is no longer in the library.` };
    }
    const path = plainPath(identity.path);
    const files = byPath.get(path) ?? [];
    const chosen = surroundings.choice.files?.[path];
    if (files.length > 1) {
      const file = files.find((candidate) => candidate.id === chosen);
      return file
        ? { file, base: undefined }
        : {
            code: 'ambiguous-file',
            message: `${JSON.stringify(identity.path)} names ${files.length} files: ${files.map((candidate) => candidate.path).join(', ')}. Write the full path, or choose one.`,
          };
    }
    return files[0]
      ? { file: files[0], base: undefined }
      : {
          code: 'unknown-file',
          message: identity.path
            ? `The library has no file ${JSON.stringify(identity.path)}.`
            : identity.mark
              ? `Send-out ${identity.mark.sendOut} has no row ${identity.mark.row}.`
              : 'The row does not name a file.',
        };
  });
  const fileIds = [...new Set(resolved.flatMap((entry) => (entry && 'file' in entry ? [entry.file.id] : [])))];
  const levels = new Map<string, { key: string; level: PropertyLevel }[]>();
  const wantsHolders = identities.some((identity, i) => identity && (identity.holder !== '' || (baseOf(identity)?.holder ?? '') !== '') && resolved[i]);
  if (wantsHolders)
    for (const { file, key, label, level } of await db.all<{ file: number; key: string; label: string; level: PropertyLevel }>(
      'SELECT file_id AS file, key, label, level FROM holders WHERE file_id = ANY($1::int[])',
      [fileIds],
    ))
      for (const name of new Set([`${file}/key/${key}`, `${file}/label/${label}`])) levels.set(name, [...(levels.get(name) ?? []), { key, level }]);
  const document = await heldFor(
    db,
    fileIds,
    surroundings.asked.filter((property) => isHeldAt(property, 'document') || property.id < 0),
  );
  const inside = new Map<string, Readonly<Record<number, HeldValue>>>();
  const inner = [...new Set([...levels.values()].flat().map((entry) => entry.level))];
  for (const level of inner)
    if (level === 'variant' || level === 'body' || level === 'occurrence' || level === 'sheet')
      for (const [key, held] of await heldInside(
        db,
        fileIds,
        level,
        surroundings.asked.filter((property) => isHeldAt(property, level)),
      ))
        inside.set(key, held);
  return resolved.map((entry, i): FoundRow | LostRow | null => {
    if (!entry || 'message' in entry) return entry;
    const identity = identities[i]!;
    const { file, base } = entry;
    let holder: { key: string; level: PropertyLevel } = { key: '', level: 'document' };
    if (base ? base.holder !== '' : identity.holder !== '') {
      const here = base ? levels.get(`${file.id}/key/${base.holder}`) : levels.get(`${file.id}/label/${identity.holder}`);
      if (!here || here.length === 0) return { code: 'unknown-holder', message: `${file.path} has no ${JSON.stringify(identity.holder)} any more.` };
      if (here.length > 1)
        return {
          code: 'unknown-holder',
          message: `${file.path} has ${here.length} holders called ${JSON.stringify(identity.holder)}; use a row that was sent out to tell them apart.`,
        };
      holder = here[0]!;
    }
    const sent = base ? surroundings.sent.get(base.sendOut) : undefined;
    const columns = new Map(sent?.columns.map((column) => [column.property, column.editable]));
    if (sent) for (const [own, here] of translation(sent, numbers)) if (columns.has(own)) columns.set(here, columns.get(own)!);
    const document_ = document.get(file.id);
    const own = holder.key === '' ? document_ : inside.get(`${file.id}/${holder.key}`);
    const current = (id: number) => own?.[id] ?? (holder.key === '' ? null : (document_?.[id] ?? null));
    return {
      file,
      holder: holder.key,
      level: holder.level,
      sendOut: base?.sendOut ?? null,
      base: (id) => (base && columns.has(id) ? (base.held[id] ?? null) : undefined),
      current,
      editable: (id) => columns.get(id) ?? true,
    };
  });
}

const json = (held: HeldValue | null): string | null => (held === null ? null : JSON.stringify(held));

async function storeCells(db: Db, takeBack: number, before: number, cells: readonly TakeBackCell[], properties: ReadonlyMap<number, Property>): Promise<void> {
  if (cells.length === 0) return;
  await db.copy(
    'take_back_cells (take_back_id, row, file_id, holder, property_id, name, verdict, base, current, proposed, takeable, proven, text, code, message, decision, n)',
    cells.map((cell, i) => [
      takeBack,
      cell.row,
      cell.file,
      cell.holder,
      cell.property,
      cell.property < 0 ? properties.get(cell.property)!.writtenName : null,
      cell.verdict,
      json(cell.base),
      json(cell.current),
      json(cell.proposed),
      cell.takeable,
      cell.proven,
      cell.text,
      cell.code,
      cell.message,
      // Changes are taken unless deselected; spoiled values are left unless selected.
      cell.verdict === 'change' ? 'take' : cell.verdict === 'spoiled' && cell.proven ? 'leave' : null,
      before + i + 1,
    ]),
  );
}

/**
 * Refuses duplicates of values that must be unique.
 * @returns how many
 */
async function refuseClashes(db: Db, takeBack: number, properties: readonly Property[]): Promise<number> {
  let refused = 0;
  for (const property of properties) {
    if (property.unique === 'no' || property.id < 0) continue;
    const cells = await db.all<{ id: number; file: number; text: string }>(
      `SELECT id, file_id AS file, proposed->>'text' AS text FROM take_back_cells
        WHERE take_back_id = $1 AND property_id = $2 AND verdict = 'change' AND holder = '' AND proposed->>'text' <> ''
        ORDER BY row`,
      [takeBack, property.id],
    );
    const clashes = await clashesOf(db, property, cells);
    if (clashes.size === 0) continue;
    const list = cells.filter((cell) => clashes.has(cell.file));
    refused += list.length;
    await db.run(
      `UPDATE take_back_cells c SET verdict = 'error', decision = NULL, takeable = false, code = 'not-unique', message = $2 || n.other || ' already.'
       FROM unnest($1::int[], $3::text[]) AS n(id, other) WHERE c.id = n.id`,
      [list.map((cell) => cell.id), `${property.caption}: this value is already in `, list.map((cell) => clashes.get(cell.file)!)],
    );
  }
  return refused;
}
