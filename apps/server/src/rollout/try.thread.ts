import { EMPTY_SCHEMA, FileJudgement, Judged, PreparedSchema, Schema, Violation, differing } from '@rule/core/schema';
import { HeldValue, sameHeld } from '@rule/core/values';
import { CopyValue, Db } from '../platform/db';
import { Surroundings, loadFacts, surroundingsOf } from '../schema/facts';
import { fillIn } from '../schema/properties';
import { prepare } from '../schema/prepared';
import { TriedMapping } from './try-mapping';

declare module '../platform/pool' {
  interface Tasks {
    readonly tryPage: (input: TryPageInput) => Promise<TryPage>;
  }
}

export interface TryPageInput {
  readonly id: number;
  /** Files after this number. */
  readonly after: number;
  readonly limit: number;
}

/** The last file of a page and the page's size; `null` at the end. */
export interface TryPage {
  readonly last: number | null;
  readonly files: number;
}

interface Loaded {
  readonly id: number;
  readonly mapping: TriedMapping;
  readonly before: PreparedSchema;
  readonly after: PreparedSchema;
  readonly around: Surroundings;
}

/** Schemas of the current try, cached per thread. */
let loaded: Promise<Loaded> | undefined;
let loadedId = 0;

const whole = (schema: Schema): Schema => ({ ...schema, properties: schema.properties.map((property) => fillIn(property)) });

async function load(db: Db, id: number): Promise<Loaded> {
  const row = await db.one<{ at: Date; draft: Schema; inForce: Schema | null }>(
    `SELECT t.at, d.schema AS draft, (SELECT schema FROM editions WHERE state = 'in force') AS "inForce"
      FROM tries t JOIN editions d ON d.id = t.edition_id WHERE t.id = $1`,
    [id],
  );
  if (!row) throw new Error(`There is no try ${id}.`);
  const empty: Schema = { ...EMPTY_SCHEMA, strangers: row.draft.strangers };
  const now = new Date(row.at);
  const [was, is] = [await prepare(db, row.inForce ? whole(row.inForce) : empty, now), await prepare(db, whole(row.draft), now)];
  // Properties with the same definition and unchanged dependencies give the same result.
  const { properties, checks } = differing(was, is);
  const [before, after] = [was.only(properties, checks), is.only(properties, checks)];
  return { id, before, after, around: surroundingsOf([before, after]), mapping: new TriedMapping(was, is, properties) };
}

/** Judges a page of files with both editions and stores the differences. */
export async function tryPage({ id, after, limit }: TryPageInput, db: Db): Promise<TryPage> {
  if (loadedId !== id) {
    loadedId = id;
    loaded = load(db, id);
    loaded.catch(() => (loadedId = 0));
  }
  const schemas = await loaded!;
  const ids = (await db.all<{ id: number }>('SELECT id FROM files WHERE id > $1 AND NOT removed AND problem IS NULL ORDER BY id LIMIT $2', [after, limit])).map(
    (row) => row.id,
  );
  if (ids.length === 0) return { last: null, files: 0 };
  const facts = await loadFacts(db, ids, schemas.around);
  const findings: CopyValue[][] = [];
  for (const file of facts.values()) {
    for (const finding of differences(schemas.before.judge(file), schemas.after.judge(file))) findings.push([id, file.id, ...finding]);
    for (const holder of file.holders) {
      const inside = (schema: PreparedSchema): FileJudgement => ({ values: schema.judgeHolder(file, holder), failed: [] });
      for (const [property, check, effect, before, after_, message] of differences(inside(schemas.before), inside(schemas.after)))
        findings.push([id, file.id, property, check, effect, before, after_, `${holder.level} ${holder.label || holder.key}: ${message}`]);
    }
  }
  if (findings.length) await db.copy('try_findings (try_id, file_id, property_id, check_id, effect, before, after, message)', findings);
  const mapped = [...(await schemas.mapping.cells(db, ids)), ...(await schemas.mapping.records(db, ids))];
  if (mapped.length)
    await db.copy(
      'try_findings (try_id, file_id, effect, cell, record, before, after, message)',
      mapped.map((finding) => [id, ...finding]),
    );
  return { last: ids.at(-1)!, files: ids.length };
}

const shown = (held: HeldValue | null): string | null => (held === null ? null : held.unit ? `${held.text} ${held.unit}` : held.text);

/** Violations other than place and staleness, which have their own effects. */
const wrongs = (judged: Judged | undefined): Violation[] => (judged?.cell.violations ?? []).filter(({ code }) => code !== 'other-name' && code !== 'stale');

type Finding = [property: number | null, check: number | null, effect: string, before: string | null, after: string | null, message: string];

/** Differences between two judgements of a file: new and resolved violations, rule results, lost values. */
export function differences(before: FileJudgement, after: FileJudgement): Finding[] {
  const found: Finding[] = [];
  for (const [id, now] of after.values) {
    const was = before.values.get(id);
    const { caption } = now.property;
    if (
      was &&
      was.otherName === undefined &&
      was.held !== null &&
      was.held.text !== '' &&
      (now.otherName !== undefined || now.held === null || now.held.text === '')
    ) {
      found.push([id, null, 'loses', shown(was.held), now.otherName ?? null, `${caption} would be read from ${JSON.stringify(now.property.writtenName)}.`]);
      continue;
    }
    if (now.derived !== undefined && now.failure === undefined) {
      const stands = now.held?.text === '' ? null : now.held;
      const expected = was?.derived !== undefined && sameHeld(was.derived, now.derived);
      if (!sameHeld(stands, now.derived) && !expected)
        found.push([id, null, 'changes', shown(stands), shown(now.derived), `${caption} would become ${shown(now.derived) ?? 'blank'}.`]);
    }
    const [old, fresh] = [wrongs(was), wrongs(now)];
    const newly = fresh.filter(({ code }) => !old.some((violation) => violation.code === code));
    for (const violation of newly.slice(0, 1)) found.push([id, null, 'breaks', shown(now.value), null, `${caption} ${violation.message}.`]);
    if (old.length > 0 && fresh.length === 0) found.push([id, null, 'passes', shown(now.value), null, `${caption} ${old[0]!.message}, but would be accepted.`]);
  }
  for (const [id, was] of before.values)
    if (!after.values.has(id) && wrongs(was).length > 0)
      found.push([id, null, 'passes', shown(was.value), null, `${was.property.caption} would no longer apply.`]);
  for (const { check, message } of after.failed)
    if (!before.failed.some((failed) => failed.check.id === check.id)) found.push([null, check.id, 'breaks', null, null, message]);
  for (const { check } of before.failed)
    if (!after.failed.some((failed) => failed.check.id === check.id))
      found.push([null, check.id, 'passes', null, null, `${check.title} would no longer fail.`]);
  return found;
}
