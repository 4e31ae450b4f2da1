import { CleanUpPreview, CleanUpRequest, CopyValues, FileFilter } from '@rule/contract';
import { Line } from '@rule/core/changes';
import { judge, reaches, whyNotTyped } from '@rule/core/schema';
import { CleanUp, CleanLine, Clash, HolderValues, LeftOut, cleanUp, clashKey, namesRead } from '@rule/core/survey';
import { HeldValue, StandIns, compileStandIns } from '@rule/core/values';
import { Locks } from '../changes/locks';
import { Trays } from '../changes/tray';
import { HELD } from '../library/readings';
import { Db } from '../platform/db';
import { invalid, refused } from '../platform/problem';
import { Properties } from '../schema/properties';
import { readSettings } from '../platform/settings';
import { User } from '../users/user';
import { filterSql } from '../library/filter';
import { WritableFile, barredFiles } from '../changes/barred';

/** Files read at a time. */
const PAGE = 4000;
/** Maximum rows of each list in a preview. */
const SAMPLE = 200;
/** Maximum lines of one clean-up. */
const MOST_LINES = 300_000;

interface Row extends WritableFile {
  readonly kind: string;
  readonly holder: string;
  readonly name: string;
  readonly held: HeldValue;
}

interface Built {
  readonly lines: CleanLine[];
  readonly clashes: Clash[];
  readonly leftOut: LeftOut[];
  readonly skipped: Map<number, string>;
  readonly files: Map<number, { readonly path: string; readonly kind: string }>;
}

const titleOf = (action: CleanUp): string => {
  switch (action.do) {
    case 'merge':
      return action.names.length === 1 ? `rename ${action.names[0]} to ${action.to}` : `merge ${action.names.join(', ')} into ${action.to}`;
    case 'case':
      return `${action.name} in ${action.style} case`;
    case 'trim':
      return `trim ${action.name}`;
    case 'replace':
      return `${action.name}: one value, ${action.by}`;
    case 'split':
      return `split ${action.name}`;
    case 'join':
      return `join into ${action.to}`;
    case 'convert':
      return `${action.name} in ${action.unit}`;
    case 'remove':
      return `remove ${action.names.join(', ')}`;
  }
};

/** Bulk clean-ups. They only build lines; the tray does the rest. */
export class CleanUps {
  constructor(
    private readonly db: Db,
    private readonly properties: Properties,
    private readonly trays: Trays,
    private readonly locks: Locks,
  ) {}

  /** Previews a clean-up. Stores nothing. */
  async preview(request: CleanUpRequest): Promise<CleanUpPreview> {
    const built = await this.build(request);
    const [active, standIns] = [await this.properties.ofFiles(this.db), await this.standIns()];
    const byName = new Map([...active.values()].map((property) => [property.writtenName, property]));
    const pathOf = (file: number) => built.files.get(file)?.path ?? '';
    const violations: { file: number; path: string; name: string; message: string }[] = [];
    let violating = 0;
    for (const { address, proposed } of built.lines) {
      const property = byName.get(address.name);
      if (!property || !proposed || !reaches(property, built.files.get(address.file)!.kind as never)) continue;
      const wrong = judge(proposed, property, standIns).violations[0];
      if (!wrong) continue;
      violating++;
      if (violations.length < SAMPLE)
        violations.push({ file: address.file, path: pathOf(address.file), name: address.name, message: `${JSON.stringify(proposed.text)} ${wrong.message}` });
    }
    return {
      lines: built.lines.length,
      files: new Set(built.lines.map((line) => line.address.file)).size,
      going: goingValues(built.lines, standIns),
      sample: built.lines.slice(0, SAMPLE).map(({ address, base, proposed }) => ({
        file: address.file,
        path: pathOf(address.file),
        holder: address.holder,
        name: address.name,
        before: shown(base),
        after: shown(proposed),
      })),
      clashes: built.clashes.length,
      clashSample: built.clashes.slice(0, SAMPLE).map((clash) => ({ ...clash, path: pathOf(clash.file) })),
      leftOut: built.leftOut.length,
      leftOutSample: built.leftOut.slice(0, SAMPLE).map((entry) => ({ ...entry, path: pathOf(entry.file) })),
      skipped: [...built.skipped].map(([file, message]) => ({ file, path: pathOf(file), message })),
      violations: violating,
      violationSample: violations,
    };
  }

  /** Adds the lines of a clean-up to a user's tray. */
  async toTray(user: User, request: CleanUpRequest): Promise<{ lines: number }> {
    const { lines } = await this.build(request);
    return this.add(user, lines, titleOf(request.action));
  }

  /** Copies values of one file to others. */
  async copy(user: User, { from, names, to, files }: CopyValues): Promise<{ lines: number; skipped: number }> {
    const source = await this.db.all<{ name: string; held: HeldValue }>(
      `SELECT v.name, ${HELD} AS held FROM held_values v WHERE v.file_id = $1 AND v.holder = '' AND v.place = 'property' AND v.name = ANY($2::text[])`,
      [from, names],
    );
    if (source.length === 0) throw invalid('nothing-to-copy', 'The file has none of these names.');
    if (files.length === 0 && Object.keys(to).length === 0) throw invalid('no-target', 'Choose the files to copy the values to.');
    const condition = files.length ? { sql: 'f.id = ANY($3::int[])', bind: [files] } : filterSql(to, 3);
    const found = await this.db.all<WritableFile & { held: Record<string, HeldValue> }>(
      `SELECT f.id AS file, l.root, f.path, f.format, f.lock_reason AS lock,
       coalesce((SELECT jsonb_object_agg(v.name, ${HELD}) FROM held_values v
             WHERE v.file_id = f.id AND v.holder = '' AND v.place = 'property' AND v.name = ANY($2::text[])),
           '{}') AS held
       FROM files f JOIN libraries l ON l.id = f.library_id WHERE NOT f.removed AND f.problem IS NULL AND f.id <> $1 AND ${condition.sql}`,
      [from, names, ...condition.bind],
    );
    await this.locks.refresh();
    const barred = await barredFiles(found);
    const free = found.filter((file) => !barred.has(file.file));
    const lines = free.flatMap(({ file, held }) =>
      source
        .filter(({ name, held: wanted }) => held[name]?.text !== wanted.text)
        .map(({ name, held: proposed }): CleanLine => ({ address: { file, holder: '', place: 'property', name }, base: held[name] ?? null, proposed })),
    );
    return { ...(await this.add(user, lines, `copied from another file`)), skipped: found.length - free.length };
  }

  private async add(user: User, lines: readonly CleanLine[], reason: string): Promise<{ lines: number }> {
    if (lines.length === 0) throw refused('nothing-to-do', 'Nothing would change.');
    if (lines.length > MOST_LINES)
      throw refused('too-many', `This would change ${lines.length} values at once; limit it to a folder or class (at most ${MOST_LINES}).`);
    const wanted = lines.map((line): Line => ({ ...line, reason, follows: false }));
    // A rename consists of two lines; if one is refused, so is the other.
    const refusals = await this.trays.refusals(user, wanted);
    const holders = new Set([...refusals.values()].map(({ line: { address } }) => clashKey(address.file, address.holder)));
    const free = wanted.filter(({ address }) => !holders.has(clashKey(address.file, address.holder)));
    if (free.length === 0) throw invalid('computed', [...refusals.values()][0]!.message);
    await this.trays.add(user, free, 'given');
    return { lines: free.length };
  }

  private async standIns(): Promise<StandIns> {
    return compileStandIns((await readSettings(this.db)).standIns);
  }

  private async build({ action, filter, levels, chosen }: CleanUpRequest): Promise<Built> {
    const active = await this.properties.ofFiles(this.db);
    const computed = [...active.values()].find(
      (property) => targetsOf(action).includes(property.writtenName) && property.kinds.every((kind) => whyNotTyped(property, kind) !== null),
    );
    if (computed) throw refused('computed', `${computed.caption} ${whyNotTyped(computed, computed.kinds[0]!)}.`);
    await this.locks.refresh();
    const standIns = await this.standIns();
    const choice = new Map(chosen.map(({ file, holder, name }) => [clashKey(file, holder), name]));
    const built: Built = { lines: [], clashes: [], leftOut: [], skipped: new Map(), files: new Map() };
    for await (const page of this.pages(action, filter, levels)) {
      const barred = await barredFiles(page);
      const holders = new Map<string, HolderValues & { values: Map<string, HeldValue> }>();
      for (const row of page) {
        built.files.set(row.file, row);
        const key = clashKey(row.file, row.holder);
        const entry = holders.get(key) ?? { file: row.file, holder: row.holder, values: new Map<string, HeldValue>() };
        entry.values.set(row.name, row.held);
        holders.set(key, entry);
      }
      const result = cleanUp(action, holders.values(), standIns, choice);
      const free = <T extends { readonly file: number }>(entry: T) => !barred.has(entry.file);
      for (const line of result.lines)
        if (free(line.address)) built.lines.push(line);
        else built.skipped.set(line.address.file, barred.get(line.address.file)!);
      built.clashes.push(...result.clashes.filter(free));
      built.leftOut.push(...result.leftOut.filter(free));
      if (built.lines.length > MOST_LINES) break;
    }
    return built;
  }

  /** Values read by a clean-up, some thousand files at a time, never splitting a file. */
  private async *pages(action: CleanUp, filter: FileFilter, levels: readonly string[]): AsyncGenerator<Row[]> {
    const names = namesRead(action);
    const { sql, bind } = filterSql(filter, 4);
    for (let after = 0; ;) {
      const page = await this.db.all<Row>(
        `SELECT f.id AS file, f.path, f.kind, f.format, f.lock_reason AS lock, l.root, v.holder, v.name, ${HELD} AS held
         FROM held_values v JOIN files f ON f.id = v.file_id JOIN libraries l ON l.id = f.library_id
         WHERE v.place = 'property' AND v.name = ANY($1::text[]) AND ($2::text[] = '{}' OR v.level = ANY($2::text[])) AND f.id IN (
           SELECT f.id FROM files f
             WHERE f.id > $3 AND ${sql} AND EXISTS (SELECT 1 FROM held_values h WHERE h.file_id = f.id AND h.place = 'property' AND h.name = ANY($1::text[]))
             ORDER BY f.id LIMIT ${PAGE})
         ORDER BY f.id, v.holder`,
        [names, levels, after, ...bind],
      );
      if (page.length) yield page;
      const last = await this.db.one<{ id: number | null }>(
        `SELECT max(id) AS id
          FROM (SELECT f.id FROM files f
              WHERE f.id > $2 AND ${filterSql(filter, 3).sql}
                AND EXISTS (SELECT 1 FROM held_values h WHERE h.file_id = f.id AND h.place = 'property' AND h.name = ANY($1::text[]))
              ORDER BY f.id LIMIT ${PAGE}) n`,
        [names, after, ...bind],
      );
      if (last?.id == null) return;
      after = last.id;
    }
  }
}

const shown = (held: HeldValue | null) => (held === null ? null : held.unit ? `${held.text} ${held.unit}` : held.text);

/** Names a clean-up writes to. */
const targetsOf = (action: CleanUp): readonly string[] =>
  action.do === 'merge' || action.do === 'join' ? [action.to] : action.do === 'split' ? action.into : action.do === 'remove' ? [] : [action.name];

/** Values that would disappear from their holder. */
function goingValues(lines: readonly CleanLine[], standIns: StandIns): number {
  const holders = new Map<string, { before: string[]; after: Set<string>; removed: boolean }>();
  for (const { address, base, proposed } of lines) {
    const key = clashKey(address.file, address.holder);
    const entry = holders.get(key) ?? { before: [], after: new Set<string>(), removed: false };
    if (base && base.text !== '' && !(base.form === 'text' && standIns.matches(base.text))) entry.before.push(base.text);
    if (proposed) entry.after.add(proposed.text);
    else entry.removed = true;
    holders.set(key, entry);
  }
  let going = 0;
  // Rewording alone loses nothing; values are lost only where names are removed.
  for (const { before, after, removed } of holders.values()) if (removed || after.size === 0) going += before.filter((text) => !after.has(text)).length;
  return going;
}
