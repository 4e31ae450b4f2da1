import { Address } from '@rule/core/changes';
import { InnerLevel, Kind, Link, LinkEnd, Property, endSlot, familyOf, homeCell, isHeldAt, linkReaches, slotOf } from '@rule/core/schema';
import { HeldValue } from '@rule/core/values';
import { Sql } from '../platform/db';
import { inForceOf } from '../schema/editions';
import { heldAt, heldInside, valuesFor } from '../values/held';
import { recordText } from '../values/linked';

/** A file whose side of links is asked for. */
export interface LinkedFile {
  readonly id: number;
  readonly kind: Kind;
  readonly className: string | null;
  /** The model that a drawing shows. */
  readonly model: number | null;
}

/** An address that a record's value would be written to, with what is there to the letter. */
export interface Target {
  readonly address: Address;
  readonly held: HeldValue | null;
}

/** The file's side of a link: what it says, and where it says it. */
export interface Side {
  /** As a record says it; `null` for nothing. */
  readonly text: string | null;
  /** Why the file says no one thing; `null` where it does. */
  readonly why: string | null;
  /** The end that gives the value, or would take it; `null` where the file has none. */
  readonly end: LinkEnd | null;
  readonly property: Property | null;
  readonly targets: readonly Target[];
}

/** Levels inside files whose values a record can hold: as long as all holders agree. */
const INSIDE: Readonly<Partial<Record<Kind, InnerLevel>>> = { drawing: 'sheet', part: 'variant', assembly: 'variant' };

interface Holder {
  readonly file: number;
  readonly key: string;
  readonly level: string;
  readonly label: string;
}

/** Files with their class and the model that they show. */
export const linkedFiles = (sql: Sql, ids: readonly number[]): Promise<LinkedFile[]> =>
  sql.all<LinkedFile>(
    `SELECT f.id, f.kind, c.name AS "className", f.model_file_id AS model FROM files f LEFT JOIN classes c ON c.id = f.class_id WHERE f.id = ANY($1::int[])`,
    [ids],
  );

/**
 * What files say for links, with a number of statements that does not depend on theirs: by file, by the number of the link.
 * @param exactly whether it is wanted what files hold to the letter, where what the grid shows of them is enough to decide
 */
export async function sidesOf(
  sql: Sql,
  files: readonly LinkedFile[],
  links: readonly Link[],
  properties: ReadonlyMap<number, Property>,
  exactly: boolean,
): Promise<Map<number, Map<number, Side>>> {
  const named = new Set(links.flatMap(({ at }) => at.flatMap((end) => ('property' in end ? (properties.get(end.property) ?? []) : []))));
  const inner = [...named].filter((property) => !isHeldAt(property, 'document'));
  const ids = files.map((file) => file.id);
  const models = files.flatMap(({ model }) => model ?? []);
  const ofModels = links.some((link) => link.at.some((at) => 'property' in at && at.of === 'model'));
  const levels = [...new Set(inner.map((property) => property.level))].filter(
    (level): level is 'sheet' | 'variant' => level === 'sheet' || level === 'variant',
  );
  const [values, inside, holders, { schema }] = await Promise.all([
    valuesFor(
      sql,
      ofModels ? [...new Set([...ids, ...models])] : ids,
      [...named].filter((property) => isHeldAt(property, 'document')),
    ),
    Promise.all(
      levels.map((level) =>
        heldInside(
          sql,
          ids,
          level,
          inner.filter((property) => property.level === level),
        ),
      ),
    ).then((found) => new Map(found.flatMap((map) => [...map]))),
    levels.length
      ? sql.all<Holder>(
          'SELECT file_id AS file, key, level, label FROM holders WHERE file_id = ANY($1::int[]) AND level = ANY($2::text[]) ORDER BY position, key',
          [ids, levels],
        )
      : ([] as Holder[]),
    inForceOf(sql),
  ]);
  const holdersOf = new Map<number, Holder[]>();
  for (const holder of holders) holdersOf.set(holder.file, [...(holdersOf.get(holder.file) ?? []), holder]);

  /** The ends of a link that a file can have, with where they are. */
  const endsOf = (file: LinkedFile, link: Link) =>
    link.at.flatMap((end): { end: LinkEnd; property: Property | null; addresses: Address[]; model: boolean }[] => {
      if (!('property' in end)) return [{ end, property: null, addresses: [{ file: file.id, holder: '', place: end.place, name: end.name }], model: false }];
      const property = properties.get(end.property);
      if (!property || property.retired) return [];
      if (end.of === 'model') return file.kind === 'drawing' ? [{ end, property, addresses: [], model: true }] : [];
      if (!property.kinds.includes(file.kind)) return [];
      if (isHeldAt(property, 'document'))
        return [{ end, property, addresses: [{ file: file.id, holder: '', ...endSlot(end, file.kind, properties)! }], model: false }];
      const addresses = (holdersOf.get(file.id) ?? []).flatMap((holder): Address[] => {
        if (holder.level !== INSIDE[file.kind] || holder.level !== property.level) return [];
        if (holder.level === 'variant') return [{ file: file.id, holder: holder.key, ...slotOf(property, file.kind) }];
        // On a sheet its cell is the value's home, where the block has one.
        const cell = homeCell(schema.bindings, property.id, familyOf(holder.label));
        return cell === null ? [] : [{ file: file.id, holder: holder.key, place: 'cell', name: cell }];
      });
      return addresses.length ? [{ end, property, addresses, model: false }] : [];
    });
  const asked = files.flatMap((file) =>
    links.filter((link) => linkReaches(link, file.kind, file.className)).map((link) => ({ file, link, ends: endsOf(file, link) })),
  );
  const letters = asked.flatMap(({ ends }) => ends.flatMap(({ property, addresses }) => (exactly || property === null ? addresses : [])));
  const held = await heldAt(sql, letters);
  const toTheLetter = new Map(letters.map((address, i) => [address, held[i]!]));

  const sides = new Map<number, Map<number, Side>>(ids.map((id) => [id, new Map<number, Side>()]));
  for (const { file, link, ends } of asked) {
    const found = ends.map(({ end, property, addresses, model }): Side => {
      const targets = addresses.map((address) => ({ address, held: toTheLetter.get(address) ?? null }));
      const side = (text: string | null, why: string | null = null): Side => ({ text, why, end, property, targets });
      if (!property) return side(recordText(targets[0]!.held, null));
      if (model) return side(file.model === null ? null : recordText(values.get(file.model)?.[property.id] ?? null, property));
      // A property says what the grid shows of it: also one that is under a known spelling, or is worked out.
      if (isHeldAt(property, 'document')) return side(recordText(values.get(file.id)?.[property.id] ?? null, property));
      const texts = [...new Set(addresses.map(({ holder }) => recordText(inside.get(`${file.id}/${holder}`)?.[property.id] ?? null, property)))];
      return texts.length > 1 ? side(null, `its ${property.level}s hold ${texts.length} different values of ${property.caption}`) : side(texts[0] ?? null);
    });
    const none: Side = { text: null, why: null, end: null, property: null, targets: [] };
    sides
      .get(file.id)!
      .set(link.id, found.find(({ text, why }) => text !== null || why !== null) ?? found.find(({ targets }) => targets.length > 0) ?? found[0] ?? none);
  }
  return sides;
}
