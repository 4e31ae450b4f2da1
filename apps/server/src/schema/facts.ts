import { Line } from '@rule/core/changes';
import { StructureReading } from '@rule/core/files';
import { singleLevel } from '@rule/core/bom';
import { FileFacts, HeldBySlot, Kind, ModelFacts, PreparedSchema, slotKey, slotsOf } from '@rule/core/schema';
import { HeldValue } from '@rule/core/values';
import { Masses } from '../geometry/masses';
import { Sql } from '../platform/db';

interface FileRow {
  readonly id: number;
  readonly kind: Kind;
  readonly className: string | null;
  readonly state: string | null;
  readonly name: string;
  readonly folder: string;
  readonly model: number | null;
}

interface ValueRow {
  readonly file: number;
  readonly place: string;
  readonly name: string;
  readonly text: string;
  readonly form: HeldValue['form'];
  readonly unit: string | null;
}

/** What of the surroundings of files a schema looks at. */
export interface Surroundings {
  readonly model: boolean;
  readonly parts: boolean;
  readonly geometry: boolean;
  /** Names, by place, that stand for properties or are asked for besides. */
  readonly names: readonly string[];
}

/** What has to be loaded for schemas to judge files. */
export function surroundingsOf(schemas: readonly PreparedSchema[]): Surroundings {
  const names = new Set(['product id', 'author']);
  let [model, parts, geometry] = [false, false, false];
  for (const { schema, uses, judged } of schemas) {
    model ||= uses.has('model');
    parts ||= uses.has('parts');
    for (const property of schema.properties) {
      if (property.retired || judged?.has(property.id) === false) continue;
      for (const { slot } of slotsOf(property)) names.add(slot.name);
      for (const spelling of property.knownSpellings) names.add(spelling);
      model ||= property.feed === 'inherited' && property.inheritFrom === 'model';
      geometry ||= property.feed === 'model';
    }
    geometry ||= schema.properties.some((property) =>
      /\bgeometry (mass|volume|material)\b/.test(`${property.rule} ${property.requiredWhen} ${property.allowed}`),
    );
    geometry ||= schema.checks.some((check) => /\bgeometry (mass|volume|material)\b/.test(check.condition));
  }
  return { model, parts, geometry, names: [...names] };
}

/** A file as it would be with pending lines applied, and what stands in it now. */
export interface LoadedFacts extends FileFacts {
  readonly standing: HeldBySlot;
}

/** Loads files with all that their values depend on: a handful of statements for any number of them. Pending lines count as if they were applied. */
export async function loadFacts(sql: Sql, ids: readonly number[], around: Surroundings, pending: readonly Line[] = []): Promise<Map<number, LoadedFacts>> {
  const files = await fileRows(sql, ids);
  const models = around.model ? await fileRows(sql, [...new Set(files.flatMap((file) => file.model ?? []))]) : [];
  const assemblies = around.parts ? files.filter((file) => file.kind === 'assembly').map((file) => file.id) : [];
  const structures = assemblies.length
    ? await sql.all<{ id: number; structure: StructureReading }>(
        `SELECT id, reading->'structure' AS structure FROM files WHERE id = ANY($1::int[]) AND reading->'structure' IS NOT NULL AND reading->>'structure' IS NOT NULL`,
        [assemblies],
      )
    : [];
  const copies = assemblies.length
    ? await sql.all<{ assembly: number; product: string; part: number }>(
        'SELECT assembly_id AS assembly, product, part_id AS part FROM copies WHERE assembly_id = ANY($1::int[]) AND part_id IS NOT NULL',
        [assemblies],
      )
    : [];
  const parts = await fileRows(sql, [...new Set(copies.map((copy) => copy.part))]);
  const all = new Map([...files, ...models, ...parts].map((file) => [file.id, file]));
  const [held, geometry] = await Promise.all([
    heldOf(sql, [...all.keys()], around.names),
    around.geometry ? new Masses(sql).factsOf([...all.keys()]) : new Map<number, ModelFacts>(),
  ]);
  const standing = new Map<number, HeldBySlot>();
  for (const { address, proposed } of pending) {
    if (address.holder !== '') continue;
    const own = held.get(address.file);
    if (!own) continue;
    if (!standing.has(address.file)) standing.set(address.file, new Map(own));
    const key = slotKey(address.place, address.name);
    if (proposed === null) own.delete(key);
    else own.set(key, proposed);
  }
  const bare = (file: FileRow): FileFacts => ({
    ...file,
    held: held.get(file.id) ?? NOTHING,
    geometry: geometry.get(file.id) ?? null,
    model: null,
    parts: [],
    above: {},
  });
  const partOf = new Map(copies.map((copy) => [`${copy.assembly}/${copy.product}`, copy.part]));
  const rowsOf = new Map(
    structures.map(({ id, structure }) => [
      id,
      singleLevel(structure, (product) => {
        const part = partOf.get(`${id}/${product}`);
        return part === undefined ? { state: 'unmatched' } : { state: 'matched', file: part, by: 'settled' };
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
          model: model ? bare(model) : null,
          // A row without a part file stands as one of which nothing is known, so that totals do not pass over it.
          parts: (rowsOf.get(file.id) ?? []).map(({ match, quantity, label }) => ({
            file: bare(
              (match.state === 'matched' ? all.get(match.file) : undefined) ?? {
                id: 0,
                kind: 'part',
                className: null,
                state: null,
                name: label,
                folder: '',
                model: null,
              },
            ),
            quantity,
          })),
        },
      ] as const;
    }),
  );
}

const NOTHING: HeldBySlot = new Map();

const fileRows = (sql: Sql, ids: readonly number[]): Promise<FileRow[]> =>
  ids.length === 0
    ? Promise.resolve([])
    : sql.all<FileRow>(
        `SELECT f.id, f.kind, c.name AS "className", f.workflow_state AS state, f.name, f.folder, f.model_file_id AS model
         FROM files f LEFT JOIN classes c ON c.id = f.class_id WHERE f.id = ANY($1::int[]) AND NOT f.removed`,
        [ids],
      );

async function heldOf(sql: Sql, ids: readonly number[], names: readonly string[]): Promise<Map<number, Map<string, HeldValue>>> {
  const held = new Map<number, Map<string, HeldValue>>(ids.map((id) => [id, new Map()]));
  const found = ids.length
    ? await sql.all<ValueRow>(
        `SELECT file_id AS file, place, name, text, form, unit FROM held_values
         WHERE file_id = ANY($1::int[]) AND holder = '' AND place IN ('property', 'field') AND name = ANY($2::text[])`,
        [ids, names],
      )
    : [];
  for (const { file, place, name, text, form, unit } of found) held.get(file)!.set(slotKey(place, name), unit === null ? { text, form } : { text, form, unit });
  return held;
}
