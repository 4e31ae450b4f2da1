import {
  Coverage,
  CoverageBy,
  CoverageQuery,
  FileFilter,
  FileRow,
  FilesPage,
  FilesQuery,
  FoundDraft,
  FoundName,
  FoundValues,
  OtherName,
  Remark,
  Survey,
  SurveyComparison,
  SurveyRow,
  TwinRow,
  HistoryQuery,
} from '@rule/contract';
import { Kind, checkDefinition, compareNames, likenessKey } from '@rule/core/schema';
import { VaultDefinition } from '@rule/core/vault';
import { Abbreviation, ValueCount, draftFrom, findTwins, guessType, pictureOf } from '@rule/core/survey';
import { BLOCKS_OF_F } from '../library/blocks';
import { readClasses } from '../library/classes';
import { distinctValues } from '../library/counts';
import { FILE_ROW, Libraries } from '../library/library';
import { Db, asRecordset } from '../platform/db';
import { invalid, notFound } from '../platform/problem';
import { Memo } from '../platform/memo';
import { Properties } from '../schema/properties';
import { readSettings } from '../platform/settings';
import { WorkPool } from '../platform/pool';
import { User } from '../users/user';
import { filterSql } from '../library/filter';

declare module '../platform/pool' {
  interface Tasks {
    readonly findTwins: (input: {
      readonly names: readonly string[];
      readonly abbreviations: readonly Abbreviation[];
    }) => Promise<ReturnType<typeof findTwins>>;
    readonly pictureOf: (input: {
      readonly values: readonly ValueCount[];
      readonly synonyms: readonly (readonly string[])[];
    }) => Promise<ReturnType<typeof pictureOf>>;
  }
}

/** Maximum distinct values listed. */
const MOST_VALUES = 5000;
/** Maximum folder columns of a coverage map. */
const MOST_COLUMNS = 40;
const MOST_REMARKS = 5000;

/** Whether stored counts can answer a filter. */
const isCounted = ({ search, where }: FileFilter) => !search && !where?.length;

/** SQL condition on stored counts. */
function countsSql({ library, folder, kind, class: classId }: FileFilter): { sql: string; bind: unknown[] } {
  return {
    sql: `($1::int IS NULL OR c.library_id = $1) AND ($2::text IS NULL OR $2 = '' OR c.folder = $2 OR starts_with(c.folder, $2 || '/')) AND ($3::text IS NULL OR c.kind = $3) AND ($4::int IS NULL OR c.class_id = $4)`,
    bind: [library ?? null, folder ?? null, kind ?? null, classId ?? null],
  };
}

/** Coverage columns for files `f`. */
const COLUMN_OF_F: Readonly<Record<Exclude<CoverageBy, 'level'>, string>> = {
  kind: 'f.kind',
  class: 'coalesce(f.class_id, 0)::text',
  folder: `f.library_id || ':' || f.folder`,
};

/** Files of one column with a name, and how many are filled. */
interface CoverageCount {
  readonly name: string;
  readonly key: string;
  readonly files: number;
  readonly filled: number;
  readonly standIns: number;
}

const KEPT = `SELECT s.id, s.title, u.display_name AS "by", s.at, s.filter, s.files, jsonb_array_length(s.counts) AS names FROM surveys s JOIN users u ON u.id = s.user_id`;

/** Survey: what files actually hold. */
export class Surveys {
  private readonly memo: Memo;

  constructor(
    private readonly db: Db,
    private readonly pool: WorkPool,
    private readonly libraries: Libraries,
    private readonly properties: Properties,
    private readonly clock: () => Date,
  ) {
    this.memo = new Memo(db);
  }

  async survey(filter: FileFilter): Promise<Survey> {
    const [survey, times] = await Promise.all([this.memo.get(JSON.stringify(filter), () => this.look(filter)), this.libraries.times()]);
    // A survey that finds nothing new changes only its time.
    return { ...survey, libraries: survey.libraries.map((library) => ({ ...library, surveyedAt: times.get(library.id) ?? library.surveyedAt })) };
  }

  private async look(filter: FileFilter): Promise<Survey> {
    const { sql, bind } = filterSql(filter);
    const [libraries, folders, classes, names, files, remarks, recordFields] = await Promise.all([
      this.libraries.list(),
      this.db.all<Survey['folders'][number]>(
        'SELECT library_id AS library, folder, count(*)::int AS files FROM files WHERE NOT removed GROUP BY library_id, folder ORDER BY library_id, folder',
      ),
      readClasses(this.db),
      this.names(filter),
      this.db.one<{ n: number }>(`SELECT count(*)::int AS n FROM files f WHERE ${sql}`, bind),
      this.db.one<{ n: number }>(`SELECT count(*)::int AS n FROM (${REMARKS}) r`),
      this.recordFields(),
    ]);
    return { libraries, folders, classes, names, files: files!.n, remarks: remarks!.n, recordFields };
  }

  /** Names with counts: from stored counts where possible, otherwise from values. */
  async names(filter: FileFilter): Promise<FoundName[]> {
    if (Object.keys(filter).every((key) => key === 'kind' || filter[key as keyof FileFilter] === undefined)) {
      return this.db.all<FoundName>(
        `SELECT c.name, c.level, c.kind, sum(c.files)::int AS files, sum(c.filled)::int AS filled, sum(c.stand_ins)::int AS "standIns",
           coalesce(f.distinct_values, 0) AS distinct, coalesce(f.examples, '{}') AS examples, coalesce(f.guess, '{"type":"text","unit":null}') AS guess
         FROM name_counts c LEFT JOIN name_facts f ON f.name = c.name AND f.level = c.level AND f.kind = c.kind WHERE $1::text IS NULL OR c.kind = $1
         GROUP BY c.name, c.level, c.kind, f.distinct_values, f.examples, f.guess ORDER BY c.name, c.level, c.kind`,
        [filter.kind ?? null],
      );
    }
    const { sql, bind } = filterSql(filter);
    const found = await this.db.all<Omit<FoundName, 'guess' | 'examples'> & { values: ValueCount[] | null }>(
      `WITH v AS (SELECT v.name, v.level, v.kind, v.file_id, v.text, v.form, v.unit, v.stand_in FROM held_values v
         JOIN files f ON f.id = v.file_id WHERE v.place = 'property' AND ${sql}),
         texts AS (SELECT name, level, kind, text, form, unit, stand_in, count(*)::int AS files,
             row_number() OVER (PARTITION BY name, level, kind ORDER BY stand_in, count(*) DESC, text) AS at
           FROM v WHERE text <> '' GROUP BY name, level, kind, text, form, unit, stand_in),
         files AS (SELECT name, level, kind, file_id, bool_or(text <> '' AND NOT stand_in) AS filled, bool_or(stand_in) AS stand_in
             FROM v GROUP BY name, level, kind, file_id)
       SELECT n.name, n.level, n.kind, n.files, n.filled, n."standIns", coalesce(t.distinct, 0) AS distinct, t.values FROM
         (SELECT name, level, kind, count(*)::int AS files, count(*) FILTER (WHERE filled)::int AS filled,
             count(*) FILTER (WHERE NOT filled AND stand_in)::int AS "standIns"
             FROM files GROUP BY name, level, kind) n
         LEFT JOIN (SELECT name, level, kind, count(*)::int AS distinct,
           jsonb_agg(jsonb_build_object('text', left(text, 200), 'form', form, 'unit', unit, 'files', files, 'standIn', stand_in)
               ORDER BY at) FILTER (WHERE at <= 60) AS values
           FROM texts GROUP BY name, level, kind) t ON t.name = n.name AND t.level = n.level AND t.kind = n.kind ORDER BY n.name, n.level, n.kind`,
      bind,
    );
    return found.map(({ values, ...row }) => ({ ...row, examples: (values ?? []).slice(0, 3).map((value) => value.text), guess: guessType(values ?? []) }));
  }

  /** Coverage of names or record fields by kind, class, folder or level. */
  coverage({ by, of, ...filter }: CoverageQuery): Promise<Coverage> {
    if (of === 'names') return this.coverageOfNames(by, filter);
    if (by === 'level') throw invalid('no-levels', 'Record fields have no levels. Ask by kind, class or folder.');
    return this.memo.get(JSON.stringify({ by, of, filter }), () => this.coverageOfRecords(by, filter));
  }

  /** Counts only files with a record. */
  private async coverageOfRecords(by: Exclude<CoverageBy, 'level'>, filter: FileFilter): Promise<Coverage> {
    const { sql, bind } = filterSql(filter);
    const records = `FROM vault_records r JOIN files f ON f.path = r.path JOIN libraries l ON l.id = f.library_id AND l.in_vault`;
    const [fields, totals, filled] = await Promise.all([
      this.recordFields(),
      this.db.all<{ key: string; files: number }>(`SELECT ${COLUMN_OF_F[by]} AS key, count(*)::int AS files ${records} WHERE ${sql} GROUP BY 1`, bind),
      this.db.all<{ key: string; name: string; filled: number }>(
        `SELECT ${COLUMN_OF_F[by]} AS key, e.key AS name, count(*)::int AS filled ${records}, jsonb_each_text(r.record) e
          WHERE e.value <> '' AND ${sql} GROUP BY 1, 2`,
        bind,
      ),
    ]);
    const counted = new Map(filled.map((row) => [`${row.key}/${row.name}`, row.filled]));
    return this.laidOut(
      by,
      totals,
      totals.flatMap(({ key, files }) => fields.map((name) => ({ name, key, files, filled: counted.get(`${key}/${name}`) ?? 0, standIns: 0 }))),
    );
  }

  /** Record fields, as last fetched. */
  private async recordFields(): Promise<string[]> {
    const said = await this.db.one<{ definition: VaultDefinition | null }>('SELECT definition FROM vault_said');
    if (!said?.definition) return [];
    const { fields, systemFields } = said.definition;
    return [...fields.filter((field) => !field.retired).map((field) => field.name), ...systemFields];
  }

  private async coverageOfNames(by: CoverageBy, filter: FileFilter): Promise<Coverage> {
    const key = { kind: 'c.kind', class: 'c.class_id::text', folder: `c.library_id || ':' || c.folder`, level: 'c.level' }[by];
    // Each file counts once at document level; other levels matter only when comparing levels.
    const level = by === 'level' ? '' : ` AND c.level = 'document'`;
    let counts: CoverageCount[];
    if (isCounted(filter)) {
      const { sql, bind } = countsSql(filter);
      counts = await this.db.all(
        `SELECT c.name, ${key} AS key, sum(c.files)::int AS files, sum(c.filled)::int AS filled, sum(c.stand_ins)::int AS "standIns"
          FROM name_counts c WHERE ${sql}${level} GROUP BY 1, 2`,
        bind,
      );
    } else {
      const { sql, bind } = filterSql(filter);
      counts = await this.db.all(
        `SELECT c.name, ${key} AS key, count(*)::int AS files, count(*) FILTER (WHERE c.filled)::int AS filled,
         count(*) FILTER (WHERE c.stand_in AND NOT c.filled)::int AS "standIns"
         FROM (SELECT v.name, v.level, v.kind, coalesce(f.class_id, 0) AS class_id, f.library_id, f.folder,
             bool_or(v.text <> '' AND NOT v.stand_in) AS filled, bool_or(v.stand_in) AS stand_in
           FROM held_values v JOIN files f ON f.id = v.file_id WHERE v.place = 'property' AND ${sql} GROUP BY v.name, v.level, v.kind, f.id) c
             WHERE true${level} GROUP BY 1, 2`,
        bind,
      );
    }
    const { sql, bind } = filterSql(filter);
    const totals = await this.db.all<{ key: string; files: number }>(
      by === 'level'
        ? `SELECT h.level AS key, count(DISTINCT f.id)::int AS files FROM files f JOIN holders h ON h.file_id = f.id WHERE f.problem IS NULL AND ${sql} GROUP BY 1`
        : `SELECT ${COLUMN_OF_F[by]} AS key, count(*)::int AS files FROM files f WHERE f.problem IS NULL AND ${sql} GROUP BY 1`,
      bind,
    );
    return this.laidOut(by, totals, counts);
  }

  /** Arranges counts as a table: the columns with most files, sorted by name. */
  private async laidOut(
    by: CoverageBy,
    totals: readonly { readonly key: string; readonly files: number }[],
    counts: readonly CoverageCount[],
  ): Promise<Coverage> {
    const classes = new Map((await readClasses(this.db)).map((row) => [String(row.id), row.name]));
    const libraries = new Map((await this.libraries.list()).map((row) => [String(row.id), row.name]));
    const label = (text: string) =>
      by === 'class'
        ? (classes.get(text) ?? 'no class')
        : by === 'folder'
          ? `${libraries.size > 1 ? `${libraries.get(text.split(':')[0]!)}: ` : ''}${text.slice(text.indexOf(':') + 1) || 'top folder'}`
          : text;
    const columns = [...totals]
      .sort((a, b) => b.files - a.files)
      .slice(0, MOST_COLUMNS)
      .map((column) => ({ ...column, label: label(column.key) }))
      .sort((a, b) => a.label.localeCompare(b.label));
    const at = new Map(columns.map((column, i) => [column.key, i]));
    const byName = new Map<string, { files: number; filled: number; standIns: number }[]>();
    for (const { name, key: where, files, filled, standIns } of counts) {
      const cells = byName.get(name) ?? columns.map(() => ({ files: 0, filled: 0, standIns: 0 }));
      byName.set(name, cells);
      const i = at.get(where);
      if (i !== undefined) cells[i] = { files, filled, standIns };
    }
    return { columns, rows: [...byName].map(([name, cells]) => ({ name, cells })).sort((a, b) => a.name.localeCompare(b.name)) };
  }

  /** Names that probably mean the same, with contradicting holders. */
  async twins(): Promise<TwinRow[]> {
    const [{ abbreviations }, properties, counts] = await Promise.all([
      readSettings(this.db),
      this.properties.active(this.db),
      this.db.all<{ name: string; files: number; filled: number }>(
        'SELECT name, sum(files)::int AS files, sum(filled)::int AS filled FROM name_counts GROUP BY name ORDER BY name',
      ),
    ]);
    const known = new Map([...properties.values()].map((property) => [property.writtenName, property.id]));
    // Schema names take part, so strays find the property they resemble.
    const groups = await this.pool.run('findTwins', { names: [...new Set([...counts.map((row) => row.name), ...known.keys()])], abbreviations });
    const pairs = groups.flatMap((group, at) => group.names.map((name) => ({ at, name })));
    const clashes = new Map(
      (
        await this.db.all<{ at: number; holders: number }>(
          `SELECT at, count(*)::int AS holders FROM (SELECT g.at, v.file_id, v.holder FROM jsonb_to_recordset($1::jsonb) AS g(at int, name text)
             JOIN held_values v ON v.place = 'property' AND v.name = g.name AND v.text <> '' AND NOT v.stand_in
             GROUP BY g.at, v.file_id, v.holder HAVING count(DISTINCT v.text) > 1) c
               GROUP BY at`,
          [asRecordset(pairs)],
        )
      ).map((row) => [row.at, row.holders]),
    );
    const countOf = new Map(counts.map((row) => [row.name, row]));
    return groups
      .map(({ names, reasons }, at) => ({
        reasons,
        clashes: clashes.get(at) ?? 0,
        names: names
          .map((name) => ({ name, files: countOf.get(name)?.files ?? 0, filled: countOf.get(name)?.filled ?? 0, property: known.get(name) ?? null }))
          .sort((a, b) => Number(b.property !== null) - Number(a.property !== null) || b.files - a.files),
      }))
      .filter((group) => group.names.filter((name) => name.files > 0).length > (group.names.some((name) => name.property !== null && name.files === 0) ? 0 : 1))
      .sort((a, b) => total(b) - total(a));
  }

  /** Strays whose name resembles a property's. */
  async otherNames(): Promise<OtherName[]> {
    const [{ abbreviations }, properties, counts] = await Promise.all([
      readSettings(this.db),
      this.properties.active(this.db),
      this.db.all<{ name: string; files: number }>('SELECT name, sum(filled)::int AS files FROM name_counts GROUP BY name HAVING sum(filled) > 0'),
    ]);
    const known = new Map([...properties.values()].map((property) => [property.writtenName, property]));
    const byLikeness = new Map([...known.values()].map((property) => [likenessKey(property.writtenName), property]));
    const groups = await this.pool.run('findTwins', { names: [...new Set([...counts.map((row) => row.name), ...known.keys()])], abbreviations });
    const twin = new Map(
      groups.flatMap(({ names }) => {
        const inSchema = names.flatMap((name) => known.get(name) ?? []);
        return inSchema.length === 1 ? names.map((name) => [name, inSchema[0]!] as const) : [];
      }),
    );
    return counts.flatMap(({ name, files }): OtherName[] => {
      if (known.has(name)) return [];
      const property = byLikeness.get(likenessKey(name)) ?? twin.get(name);
      if (!property) return [];
      const likeness = compareNames(name, property.writtenName);
      return [{ property: property.id, name, files, differs: likeness === 'different' || likeness === 'same' ? 'wording' : likeness }];
    });
  }

  /** Values of one name: profile, clusters, outliers. */
  async values(name: string, filter: FileFilter): Promise<FoundValues> {
    const condition = filterSql(filter, 2);
    const [settings, all, counted, presets, property] = await Promise.all([
      readSettings(this.db),
      distinctValues(this.db, name, condition, MOST_VALUES + 1),
      this.db.one<{ distinct: number; files: number; blank: number; standIns: number }>(
        `SELECT count(DISTINCT v.text) FILTER (WHERE v.text <> '')::int AS distinct, count(DISTINCT v.file_id)::int AS files,
           count(DISTINCT v.file_id) FILTER (WHERE v.text = '')::int AS blank, count(DISTINCT v.file_id) FILTER (WHERE v.stand_in)::int AS "standIns"
         FROM held_values v JOIN files f ON f.id = v.file_id WHERE v.place = 'property' AND v.name = $1 AND ${condition.sql}`,
        [name, ...condition.bind],
      ),
      this.db.all<{ preset: string }>(
        `SELECT DISTINCT c->>'preset' AS preset
          FROM files f, ${BLOCKS_OF_F} b, jsonb_array_elements(b.block->'cells') c
          WHERE NOT f.removed AND f.kind = 'drawing' AND c->>'preset' <> ''`,
      ),
      this.properties.active(this.db).then((active) => [...active.values()].find((candidate) => candidate.writtenName === name)),
    ]);
    const values = all.slice(0, MOST_VALUES);
    const defaults = new Set([...presets.map((row) => row.preset), ...(property?.placeholder ? [property.placeholder] : [])]);
    return {
      name,
      picture: await this.pool.run('pictureOf', { values, synonyms: settings.synonyms }),
      values,
      ...counted!,
      leftIn: values.filter((value) => value.form === 'text' && defaults.has(value.text)).map(({ text, files }) => ({ text, files })),
    };
  }

  remarks(): Promise<Remark[]> {
    return this.db.all<Remark>(
      `SELECT * FROM (${REMARKS}) r ORDER BY CASE about WHEN 'cannot be read' THEN 0 WHEN 'noticed' THEN 1 ELSE 2 END, path, message LIMIT ${MOST_REMARKS}`,
    );
  }

  /** Files matching a filter, by path, optionally with values of one name. */
  async files({ offset, limit, name, ...filter }: FilesQuery): Promise<FilesPage> {
    const { sql, bind } = filterSql(filter);
    const next = (n: number) => `$${bind.length + n}`;
    const [count, list] = await Promise.all([
      this.db.one<{ n: number }>(`SELECT count(*)::int AS n FROM files f WHERE ${sql}`, bind),
      this.db.all<FileRow & { values: string[] }>(
        `SELECT ${FILE_ROW},
         ARRAY(SELECT v.text || coalesce(' ' || v.unit, '') FROM held_values v
             WHERE v.file_id = f.id AND v.place IN ('property', 'field') AND v.name = ${next(3)} ORDER BY v.holder LIMIT 5) AS values
         FROM files f WHERE ${sql} ORDER BY f.path, f.id LIMIT ${next(1)} OFFSET ${next(2)}`,
        [...bind, limit, offset, name ?? ''],
      ),
    ]);
    return { total: count!.n, rows: list };
  }

  /** Stores survey counts for later comparison. */
  async keep(user: User, title: string, filter: FileFilter): Promise<SurveyRow> {
    const [counts, files] = await Promise.all([this.totals(filter), this.fileCount(filter)]);
    const row = await this.db.one<{ id: number }>(
      'INSERT INTO surveys (title, user_id, at, filter, files, counts) VALUES ($1, $2, $3, $4::jsonb, $5, $6::jsonb) RETURNING id',
      [title, user.id, this.clock(), JSON.stringify(filter), files, JSON.stringify([...counts.values()])],
    );
    return this.keptOne(row!.id);
  }

  /** Kept surveys, newest first; those older than `before` if given. */
  kept({ before, limit }: HistoryQuery): Promise<SurveyRow[]> {
    return this.db.all<SurveyRow>(`${KEPT} WHERE $1::int IS NULL OR s.id < $1 ORDER BY s.id DESC LIMIT $2`, [before ?? null, limit]);
  }

  private async keptOne(id: number): Promise<SurveyRow> {
    const row = await this.db.one<SurveyRow>(`${KEPT} WHERE s.id = $1`, [id]);
    if (!row) throw notFound(`Survey ${id}`);
    return row;
  }

  /** Changes since a kept survey, for files matching its filter today. */
  async compare(id: number): Promise<SurveyComparison> {
    const then = await this.keptOne(id);
    const kept = await this.db.one<{ counts: NameTotal[] }>('SELECT counts FROM surveys WHERE id = $1', [id]);
    const [now, files] = await Promise.all([this.totals(then.filter), this.fileCount(then.filter)]);
    const before = new Map(kept!.counts.map((row) => [row.name, row]));
    const pick = (row: NameTotal | undefined) => (row ? { files: row.files, filled: row.filled, standIns: row.standIns } : null);
    return {
      then,
      files,
      names: [...new Set([...before.keys(), ...now.keys()])]
        .sort((a, b) => a.localeCompare(b))
        .map((name) => ({ name, then: pick(before.get(name)), now: pick(now.get(name)) })),
    };
  }

  private async fileCount(filter: FileFilter): Promise<number> {
    const { sql, bind } = filterSql(filter);
    return (await this.db.one<{ n: number }>(`SELECT count(*)::int AS n FROM files f WHERE ${sql}`, bind))!.n;
  }

  private async totals(filter: FileFilter): Promise<Map<string, NameTotal>> {
    const totals = new Map<string, { name: string; files: number; filled: number; standIns: number }>();
    for (const { name, files, filled, standIns } of await this.names(filter)) {
      const entry = totals.get(name) ?? { name, files: 0, filled: 0, standIns: 0 };
      totals.set(name, { name, files: entry.files + files, filled: entry.filled + filled, standIns: entry.standIns + standIns });
    }
    return totals;
  }

  /** Draft properties for found names: type, unit, kinds, choices and length. */
  async drafts(names: readonly string[]): Promise<FoundDraft[]> {
    const others = await this.properties.list(this.db);
    const found = await this.db.all<{ name: string; kinds: Kind[]; files: number }>(
      'SELECT name, array_agg(DISTINCT kind) AS kinds, sum(files)::int AS files FROM name_counts WHERE name = ANY($1::text[]) GROUP BY name',
      [names],
    );
    const everything = { sql: 'NOT f.removed', bind: [] };
    return Promise.all(
      names.map(async (name) => {
        const row = found.find((candidate) => candidate.name === name);
        if (!row) throw invalid('unknown-name', `No file has the name ${JSON.stringify(name)}.`);
        const draft = draftFrom(name, row.kinds, await distinctValues(this.db, name, everything, 1000));
        return { found: name, draft, files: row.files, problems: checkDefinition(draft, others).map((problem) => problem.message) };
      }),
    );
  }
}

type NameTotal = { readonly name: string; readonly files: number; readonly filled: number; readonly standIns: number };

const total = (group: TwinRow) => group.names.reduce((sum, name) => sum + name.files, 0);

/** Remarks about files, one per row. */
const REMARKS = `
  SELECT id AS file, path, 'cannot be read' AS about, problem AS message FROM files WHERE NOT removed AND problem IS NOT NULL
  UNION ALL
  SELECT f.id, f.path, 'noticed', p->>'message' FROM files f, jsonb_array_elements(f.reading->'problems') p
    WHERE NOT f.removed AND jsonb_array_length(f.reading->'problems') > 0
  UNION ALL
  SELECT f.id, f.path, 'noticed', 'The sheet ' || b.layout || ' has a ' || b.block || ' that lacks ' || array_to_string(b.missing, ', ')
    || ', which its block has gained later.' FROM files f JOIN placed_blocks b ON b.file_id = f.id WHERE NOT f.removed AND cardinality(b.missing) > 0
  UNION ALL
  SELECT f.id, f.path, 'noticed', 'The file name holds an invisible character.' FROM files f WHERE NOT f.removed AND f.name ~ '[\\x01-\\x1f\\x7f]'
  UNION ALL
  SELECT f.id, f.path, 'same name', 'Another file has this name: ' || (SELECT min(o.path) FROM files o WHERE o.name = f.name AND o.id <> f.id AND NOT o.removed)
    FROM files f JOIN (SELECT name FROM files WHERE NOT removed GROUP BY name HAVING count(*) > 1) t ON t.name = f.name WHERE NOT f.removed
  UNION ALL
  SELECT f.id, f.path, 'differs in case', 'Another path differs only in case: ' || o.path
    FROM (SELECT library_id, lower(path) AS low FROM files WHERE NOT removed GROUP BY library_id, lower(path) HAVING count(*) > 1) t
    JOIN files f ON f.library_id = t.library_id AND lower(f.path) = t.low AND NOT f.removed
    JOIN files o ON o.library_id = t.library_id AND lower(o.path) = t.low AND o.id <> f.id AND NOT o.removed
  UNION ALL
  SELECT f.id, f.path, 'same content',
    'Another file holds the same bytes: ' || (SELECT min(o.path) FROM files o WHERE o.hash = f.hash AND o.id <> f.id AND NOT o.removed)
    FROM files f JOIN (SELECT hash FROM files WHERE NOT removed AND hash <> '' GROUP BY hash HAVING count(*) > 1) t ON t.hash = f.hash WHERE NOT f.removed`;
