import { Line } from '@rule/core/changes';
import { SheetReading, StructureReading } from '@rule/core/files';
import { countParts } from '@rule/core/bom';
import {
  FileFacts,
  HeldBySlot,
  HolderFacts,
  INNER_LEVELS,
  InnerLevel,
  Kind,
  ModelFacts,
  PreparedSchema,
  SheetFacts,
  WIDE_LEVELS,
  homeCells,
  isWide,
  slotKey,
  slotsOf,
} from '@rule/core/schema';
import { sheetName } from '@rule/core/standards';
import { HeldValue, convert, findUnit } from '@rule/core/values';
import { Masses } from '../geometry/masses';
import { DRAWN_FAMILIES } from '../library/blocks';
import { Sql } from '../platform/db';

interface FileRow {
  readonly id: number;
  readonly kind: Kind;
  readonly className: string | null;
  readonly state: string | null;
  readonly name: string;
  readonly folder: string;
  readonly model: number | null;
  readonly project: number | null;
  readonly set: number | null;
}

interface ValueRow {
  readonly file: number;
  readonly holder: string;
  readonly place: string;
  readonly name: string;
  readonly text: string;
  readonly form: HeldValue['form'];
  readonly unit: string | null;
}

/** Context data of files that a schema depends on. */
export interface Surroundings {
  readonly model: boolean;
  readonly parts: boolean;
  readonly geometry: boolean;
  readonly sheets: boolean;
  /** Whether values of projects, drawing sets or the company are used. */
  readonly wide: boolean;
  /** Levels inside files that hold properties. */
  readonly inner: readonly InnerLevel[];
  /** Names by place that hold properties or are requested additionally. */
  readonly names: readonly string[];
  /** Slots in which a blank variant does not show the document's value. */
  readonly apart: readonly string[];
}

/** Data to load for judging files. */
export function surroundingsOf(schemas: readonly PreparedSchema[]): Surroundings {
  const names = new Set(['product id', 'author']);
  const apart = new Set<string>();
  let [model, parts, geometry, sheets, wide] = [false, false, false, false, false];
  const inner = new Set<InnerLevel>();
  for (const prepared of schemas) {
    const { schema, uses, judged } = prepared;
    wide ||= uses.has('project') || uses.has('drawing set');
    for (const level of INNER_LEVELS) if (prepared.hasLevel(level)) inner.add(level);
    sheets ||= inner.has('sheet');
    model ||= uses.has('model');
    parts ||= uses.has('parts');
    for (const property of schema.properties) {
      if (property.retired || judged?.has(property.id) === false) continue;
      for (const { slot } of slotsOf(property)) {
        names.add(slot.name);
        if (property.level === 'variant' && !property.fallback) apart.add(slotKey(slot.place, slot.name));
      }
      for (const cell of homeCells(schema.bindings, property.id)) names.add(cell);
      for (const spelling of property.knownSpellings) names.add(spelling);
      model ||= property.feed === 'inherited' && property.inheritFrom === 'model';
      geometry ||= property.feed === 'model';
      sheets ||= property.feed === 'sheet';
      wide ||= property.feed === 'inherited' && property.inheritFrom !== null && isWide(property.inheritFrom);
    }
    geometry ||= prepared.looksAtName('geometry mass', 'geometry volume', 'geometry material');
  }
  return { model, parts, geometry, sheets, wide, inner: [...inner], names: [...names], apart: [...apart] };
}

/** A file with pending lines applied, and its current values. */
export interface LoadedFacts extends FileFacts {
  readonly standing: HeldBySlot;
  /** Requested holders inside the file, with pending lines applied, and their current values. */
  readonly holders: readonly (HolderFacts & { readonly standing: HeldBySlot })[];
}

/** Loads files with everything their values depend on, with a few statements. Pending lines count as applied. */
export async function loadFacts(sql: Sql, ids: readonly number[], around: Surroundings, pending: readonly Line[] = []): Promise<Map<number, LoadedFacts>> {
  const files = await fileRows(sql, ids);
  const fed = around.model && around.inner.includes('sheet') ? await sheetModels(sql, files) : NO_SHEET_MODELS;
  const models = around.model ? await fileRows(sql, [...new Set([...files.flatMap((file) => file.model ?? []), ...fed.values()])]) : [];
  const occurrences = around.inner.includes('occurrence');
  const assemblies = around.parts || occurrences ? files.filter((file) => file.kind === 'assembly').map((file) => file.id) : [];
  const structures = assemblies.length
    ? await sql.all<{ id: number; structure: StructureReading }>(
        `SELECT id, reading->'structure' AS structure FROM files
          WHERE id = ANY($1::int[]) AND reading->'structure' IS NOT NULL AND reading->>'structure' IS NOT NULL`,
        [assemblies],
      )
    : [];
  const copies = assemblies.length
    ? await sql.all<Copy>(
        `SELECT assembly_id AS assembly, product, part_id AS part, match->>'variant' AS variant FROM copies
          WHERE assembly_id = ANY($1::int[]) AND part_id IS NOT NULL`,
        [assemblies],
      )
    : [];
  const parts = await fileRows(sql, [...new Set(copies.map((copy) => copy.part))]);
  const all = new Map([...files, ...models, ...parts].map((file) => [file.id, file]));
  const wideIds = around.wide ? await wideOf(sql, files) : NO_WIDE;
  const loadedIds = [...all.keys()];
  const [held, inside, geometry, sheets] = await Promise.all([
    heldOf(sql, [...loadedIds, ...wideIds.ids.map((id) => -id)], around.names),
    around.inner.length
      ? holdersOf(
          sql,
          files.map((file) => file.id),
          around,
        )
      : NO_HOLDERS,
    around.geometry ? new Masses(sql, pending).factsOf(loadedIds) : new Map<number, ModelFacts>(),
    around.sheets
      ? sheetsOf(
          sql,
          files.filter((file) => file.kind === 'drawing').map((file) => file.id),
        )
      : NO_SHEETS,
  ]);
  const standing = new Map<number, HeldBySlot>();
  const standingInside = new Map<Map<string, HeldValue>, HeldBySlot>();
  for (const { address, proposed } of pending) {
    const holder = address.holder === '' ? null : (inside.get(address.file)?.find((found) => found.key === address.holder) ?? null);
    const own = address.holder === '' ? held.get(address.file) : holder?.held;
    if (!own) continue;
    if (holder) {
      if (!standingInside.has(own)) standingInside.set(own, new Map(own));
    } else if (!standing.has(address.file)) standing.set(address.file, new Map(own));
    const key = slotKey(address.place, address.name);
    if (proposed === null) own.delete(key);
    else own.set(key, proposed);
  }
  /** Values of a wide holder by written name. */
  const wideValues = new Map(
    wideIds.ids.map((id) => [id, new Map([...(held.get(-id) ?? NOTHING)].map(([key, value]) => [key.slice('property/'.length), value] as const))] as const),
  );
  const above = (file: FileRow): FileFacts['above'] =>
    Object.fromEntries(
      WIDE_LEVELS.flatMap((level) => {
        const id = level === 'company' ? wideIds.company : level === 'project' ? file.project : file.set;
        const values = id === null ? undefined : wideValues.get(id);
        return values ? [[level, values]] : [];
      }),
    );
  const bare = (file: FileRow): FileFacts => ({
    ...file,
    held: held.get(file.id) ?? NOTHING,
    geometry: geometry.get(file.id) ?? null,
    model: null,
    parts: [],
    above: above(file),
    ...(sheets.has(file.id) ? { sheets: sheets.get(file.id)!.map(({ sheet }) => sheet) } : {}),
  });
  const varied = await variantsOf(sql, copies, around, pending);
  const partOf = new Map(copies.map((copy) => [`${copy.assembly}/${copy.product}`, copy]));
  /** A part as placed: of a variant, its values over those that the document shares. */
  const placed = (file: FileRow, variant: string | null | undefined): FileFacts => {
    const part = bare(file);
    const own = variant ? varied.get(`${file.id}/${variant}`) : undefined;
    if (!own) return part;
    return { ...part, held: new Map([...[...part.held].filter(([slot]) => !around.apart.includes(slot)), ...own]), geometry: null };
  };
  const childOf = new Map(structures.flatMap(({ id, structure }) => structure.occurrences.map(({ key, child }) => [`${id}/${key}`, child] as const)));
  const partBehind = (assembly: number, key: string): FileFacts | null => {
    const copy = partOf.get(`${assembly}/${childOf.get(`${assembly}/${key}`)}`);
    const part = copy && all.get(copy.part);
    return part ? placed(part, copy.variant) : null;
  };
  /** The manually chosen model of a sheet. */
  const modelOf = (file: FileRow, holder: InsideHolder): Pick<HolderFacts, 'model'> => {
    const id = holder.level === 'sheet' ? fed.get(`${file.id}/${holder.key}`) : undefined;
    const model = id === undefined ? undefined : all.get(id);
    return model ? { model: bare(model) } : {};
  };
  const rowsOf = new Map(
    structures.map(({ id, structure }) => [
      id,
      countParts(structure, (product) => {
        const copy = partOf.get(`${id}/${product}`);
        return copy
          ? { state: 'matched', file: copy.part, by: 'settled', ...(copy.variant === null ? {} : { variant: copy.variant }) }
          : { state: 'unmatched' };
      }),
    ]),
  );
  return new Map(
    files.map((file) => {
      const model = file.model === null ? undefined : all.get(file.model);
      return [
        file.id,
        {
          ...bare(file),
          standing: standing.get(file.id) ?? held.get(file.id) ?? NOTHING,
          holders: (inside.get(file.id) ?? []).map((holder) => ({
            level: holder.level,
            key: holder.key,
            label: holder.label,
            held: holder.held,
            standing: standingInside.get(holder.held) ?? holder.held,
            part: occurrences ? partBehind(file.id, holder.key) : null,
            ...modelOf(file, holder),
            sheet: sheets.get(file.id)?.find((entry) => entry.holders.includes(holder.key))?.sheet ?? null,
          })),
          model: model ? bare(model) : null,
          // A row without a part file counts as unknown, so totals show the gap.
          parts: (rowsOf.get(file.id) ?? []).map(({ match, quantity, label }) => ({
            file: placed(
              (match.state === 'matched' ? all.get(match.file) : undefined) ?? {
                id: 0,
                kind: 'part',
                className: null,
                state: null,
                name: label,
                folder: '',
                model: null,
                project: null,
                set: null,
              },
              match.state === 'matched' ? match.variant : null,
            ),
            quantity,
          })),
        },
      ] as const;
    }),
  );
}

const NOTHING: HeldBySlot = new Map();

/** A copy in an assembly with its part file, and the holder of the variant that it is. */
interface Copy {
  readonly assembly: number;
  readonly product: string;
  readonly part: number;
  readonly variant: string | null;
}

/** Values of placed variants that are not blank, by `file/holder`, with pending lines applied. */
async function variantsOf(sql: Sql, copies: readonly Copy[], around: Surroundings, pending: readonly Line[]): Promise<Map<string, HeldBySlot>> {
  const variants = copies.filter((copy) => copy.variant !== null);
  const found = new Map(variants.map((copy) => [`${copy.part}/${copy.variant}`, new Map<string, HeldValue>()]));
  if (variants.length === 0) return found;
  const held = await sql.all<ValueRow>(
    `SELECT file_id AS file, holder, place, name, text, form, unit FROM held_values
      WHERE file_id = ANY($1::int[]) AND holder = ANY($2::text[]) AND place IN ('property', 'field') AND name = ANY($3::text[]) AND text <> ''`,
    [[...new Set(variants.map((copy) => copy.part))], [...new Set(variants.map((copy) => copy.variant))], around.names],
  );
  for (const { file, holder, place, name, text, form, unit } of held) {
    found.get(`${file}/${holder}`)?.set(slotKey(place, name), unit === null ? { text, form } : { text, form, unit });
  }
  for (const { address, proposed } of pending) {
    const own = found.get(`${address.file}/${address.holder}`);
    if (proposed === null || proposed.text === '') own?.delete(slotKey(address.place, address.name));
    else own?.set(slotKey(address.place, address.name), proposed);
  }
  return found;
}

const fileRows = (sql: Sql, ids: readonly number[]): Promise<FileRow[]> =>
  ids.length === 0
    ? Promise.resolve([])
    : sql.all<FileRow>(
        `SELECT f.id, f.kind, c.name AS "className", f.workflow_state AS state, f.name, f.folder, f.model_file_id AS model,
         f.project_id AS project, f.set_id AS "set"
         FROM files f LEFT JOIN classes c ON c.id = f.class_id WHERE f.id = ANY($1::int[]) AND NOT f.removed`,
        [ids],
      );

const NO_SHEET_MODELS = new Map<string, number>();

/** Manually chosen models of sheets, by `file/key`. */
async function sheetModels(sql: Sql, files: readonly FileRow[]): Promise<Map<string, number>> {
  const drawings = files.filter((file) => file.kind === 'drawing').map((file) => file.id);
  if (drawings.length === 0) return NO_SHEET_MODELS;
  const found = await sql.all<{ file: number; holder: string; model: number }>(
    `SELECT b.file_id AS file, b.holder, m.model_file_id AS model FROM sheet_models m JOIN placed_blocks b ON b.file_id = m.file_id AND b.layout = m.layout
     WHERE m.file_id = ANY($1::int[])`,
    [drawings],
  );
  return new Map(found.map(({ file, holder, model }) => [`${file}/${holder}`, model]));
}

const NO_HOLDERS = new Map<number, InsideHolder[]>();
const NO_SHEETS = new Map<number, { readonly sheet: SheetFacts; readonly holders: readonly string[] }[]>();
const NO_WIDE: { readonly ids: readonly number[]; readonly company: number | null } = { ids: [], company: null };

/** Wide holders of files, and the company's. */
async function wideOf(sql: Sql, files: readonly FileRow[]): Promise<typeof NO_WIDE> {
  const company = await sql.one<{ id: number }>(`SELECT id FROM wide_holders WHERE level = 'company'`);
  const ids = new Set(files.flatMap((file) => [file.project, file.set]).filter((id): id is number => id !== null));
  if (company) ids.add(company.id);
  return { ids: [...ids], company: company?.id ?? null };
}

interface InsideHolder {
  readonly level: InnerLevel;
  readonly key: string;
  readonly label: string;
  readonly held: Map<string, HeldValue>;
}

/** Holders inside files with values, in two statements. */
async function holdersOf(sql: Sql, ids: readonly number[], { inner, names }: Surroundings): Promise<Map<number, InsideHolder[]>> {
  const [found, values] = await Promise.all([
    sql.all<{ file: number; key: string; level: InnerLevel; label: string }>(
      `SELECT file_id AS file, key, level, label FROM holders WHERE file_id = ANY($1::int[]) AND level = ANY($2::text[])
         AND NOT (level = 'sheet' AND lower(trim(label)) = ANY(${DRAWN_FAMILIES})) ORDER BY file_id, key`,
      [ids, inner],
    ),
    sql.all<ValueRow>(
      `SELECT file_id AS file, holder, place, name, text, form, unit FROM held_values
       WHERE file_id = ANY($1::int[]) AND level = ANY($2::text[]) AND holder <> '' AND place IN ('property', 'cell') AND name = ANY($3::text[])`,
      [ids, inner, names],
    ),
  ]);
  const byFile = new Map<number, InsideHolder[]>();
  const byKey = new Map<string, InsideHolder>();
  for (const { file, ...holder } of found) {
    const entry = { ...holder, held: new Map<string, HeldValue>() };
    byFile.set(file, [...(byFile.get(file) ?? []), entry]);
    byKey.set(`${file}/${holder.key}`, entry);
  }
  for (const { file, holder, place, name, text, form, unit } of values)
    byKey.get(`${file}/${holder}`)?.held.set(slotKey(place, name), unit === null ? { text, form } : { text, form, unit });
  return byFile;
}

/** Facts of sheets, with the holders on them. */
async function sheetsOf(sql: Sql, ids: readonly number[]): Promise<typeof NO_SHEETS> {
  const found = ids.length
    ? await sql.all<{ id: number; sheets: SheetReading[] | null; inserts: { holder: string; layout: string }[] | null }>(
        `SELECT id, reading->'sheets' AS sheets, reading->'inserts' AS inserts FROM files WHERE id = ANY($1::int[]) AND reading IS NOT NULL`,
        [ids],
      )
    : [];
  return new Map(
    found.map(({ id, sheets, inserts }) => [
      id,
      (sheets ?? [])
        .filter((sheet) => sheet.layout !== 'model')
        .map((sheet) => ({
          sheet: sheetFacts(
            sheet,
            (sheets ?? []).find((candidate) => candidate.layout === 'model'),
          ),
          holders: (inserts ?? []).filter((insert) => insert.layout === sheet.layout).map((insert) => insert.holder),
        })),
    ]),
  );
}

/** The main scale is the most frequent viewport scale. Outlines and texts come from model space, or from the sheet if it has none. */
function sheetFacts(sheet: SheetReading, model: SheetReading | undefined): SheetFacts {
  const times = new Map<number, number>();
  for (const scale of sheet.scales) times.set(scale, (times.get(scale) ?? 0) + 1);
  const scale = [...times].sort((a, b) => b[1] - a[1])[0]?.[0] ?? null;
  const from = model?.outlines.length ? model : sheet;
  const unit = sheet.unit ?? null;
  const side = unit !== null && findUnit(unit) ? convert(1, unit, 'm') : null;
  return {
    layout: sheet.layout,
    scale,
    outlines: side === null ? [] : from.outlines.map(({ layer, area, within }) => ({ layer, area: area * side * side, within: within ?? null })),
    labels: side === null ? [] : (from.labels ?? []),
    size: sheet.paper ? sheetName(sheet.paper) : null,
  };
}

async function heldOf(sql: Sql, ids: readonly number[], names: readonly string[]): Promise<Map<number, Map<string, HeldValue>>> {
  const held = new Map<number, Map<string, HeldValue>>(ids.map((id) => [id, new Map()]));
  const found = ids.length
    ? await sql.all<ValueRow>(
        `SELECT file_id AS file, place, name, text, form, unit FROM target_values
         WHERE file_id = ANY($1::int[]) AND holder = '' AND place IN ('property', 'field') AND name = ANY($2::text[])`,
        [ids, names],
      )
    : [];
  for (const { file, place, name, text, form, unit } of found) held.get(file)!.set(slotKey(place, name), unit === null ? { text, form } : { text, form, unit });
  return held;
}
