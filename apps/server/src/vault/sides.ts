import { Address } from '@rule/core/changes';
import { Kind, Link, LinkEnd, Property, Slot, endSlot, familyOf, homeCell, isHeldAt, linkReaches, slotOf } from '@rule/core/schema';
import { HeldValue } from '@rule/core/values';
import { Sql } from '../platform/db';
import { inForceOf } from '../schema/editions';
import { heldAt, heldInside, valuesFor } from '../values/held';
import { recordText } from '../values/linked';

/** A file whose side of links is requested. */
export interface LinkedFile {
  readonly id: number;
  readonly kind: Kind;
  readonly className: string | null;
  /** The model of a drawing. */
  readonly model: number | null;
}

/** A target address with its exact current value. */
export interface Target {
  readonly address: Address;
  readonly held: HeldValue | null;
}

/** The file's side of a link: its value and addresses. */
export interface Side {
  /** In the record's notation; `null` for none. */
  readonly text: string | null;
  /** Why the value is ambiguous; `null` if it is not. */
  readonly why: string | null;
  /** The address that provides or would take the value; `null` if there is none. */
  readonly end: LinkEnd | null;
  readonly property: Property | null;
  readonly targets: readonly Target[];
}

interface Holder {
  readonly file: number;
  readonly key: string;
  readonly level: string;
  readonly label: string;
}

/** Files with class and model. */
export const linkedFiles = (sql: Sql, ids: readonly number[]): Promise<LinkedFile[]> =>
  sql.all<LinkedFile>(
    `SELECT f.id, f.kind, c.name AS "className", f.model_file_id AS model FROM files f LEFT JOIN classes c ON c.id = f.class_id WHERE f.id = ANY($1::int[])`,
    [ids],
  );

/**
 * File sides of links by file and link number, with a fixed number of statements.
 * @param exactly whether exact held values are needed, not only displayed ones
 */
export async function sidesOf(
  sql: Sql,
  files: readonly LinkedFile[],
  links: readonly Link[],
  properties: ReadonlyMap<number, Property>,
  exactly: boolean,
): Promise<Map<number, Map<number, Side>>> {
  const named = new Set(links.flatMap(({ at }) => at.flatMap((end) => ('property' in end ? (properties.get(end.property) ?? []) : []))));
  const inner = [...named].filter((property) => property.level === 'sheet' || property.level === 'variant');
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

  // Addresses of links depend only on the kind of file.
  const kinds = new Map<string, readonly KindEnd[]>();
  const endsOf = (link: Link, kind: Kind): readonly KindEnd[] => {
    const key = `${link.id}/${kind}`;
    let ends = kinds.get(key);
    if (!ends) kinds.set(key, (ends = endsIn(link, kind, properties)));
    return ends;
  };
  /** Whether a variant has its own value or no fallback. */
  const isOwn = (file: LinkedFile, property: Property, holder: string): boolean =>
    !property.fallback || inside.get(`${file.id}/${holder}`)?.[property.id] !== undefined;
  const addressesOf = (file: LinkedFile, { property, slot, place }: KindEnd): Address[] => {
    if (place === 'file') return [{ file: file.id, holder: '', place: slot!.place, name: slot!.name }];
    if (place === 'model') return [];
    const holders = (holdersOf.get(file.id) ?? []).filter((holder) => holder.level === property!.level);
    const own = { file: file.id, holder: '', place: slot!.place, name: slot!.name };
    if (property!.level === 'variant') return [own, ...holders.flatMap(({ key }) => (isOwn(file, property!, key) ? [{ ...own, holder: key }] : []))];
    return holders.flatMap((holder): Address[] => {
      // On a sheet, the home cell of its block.
      const cell = homeCell(schema.bindings, property!.id, familyOf(holder.label));
      return cell === null ? [] : [{ file: file.id, holder: holder.key, place: 'cell', name: cell }];
    });
  };
  const asked = files.flatMap((file) =>
    links
      .filter((link) => linkReaches(link, file.kind, file.className))
      .map((link) => ({ file, link, ends: endsOf(link, file.kind).map((end): Asked => ({ of: end, addresses: addressesOf(file, end) })) })),
  );
  const letters = asked.flatMap(({ ends }) => ends.flatMap(({ of, addresses }) => (exactly || of.property === null ? addresses : [])));
  const held = await heldAt(sql, letters);
  const toTheLetter = new Map(letters.map((address, i) => [address, held[i]!]));

  const sideOf = (file: LinkedFile, { of: { end, property, place }, addresses }: Asked): Side => {
    const targets = addresses.map((address): Target => ({ address, held: toTheLetter.get(address) ?? null }));
    const side = (text: string | null, why: string | null = null): Side => ({ text, why, end, property, targets });
    if (!property) return side(recordText(targets[0]!.held, null));
    if (place === 'model') return side(file.model === null ? null : recordText(values.get(file.model)?.[property.id] ?? null, property));
    // A property's displayed value, including known spellings and computed ones.
    if (place === 'file') return side(recordText(values.get(file.id)?.[property.id] ?? null, property));
    if (addresses.length === 0) return side(null);
    // The document stands for its first variant and for those that fall back to it.
    const heldBy = (holder: string) => (holder === '' ? values.get(file.id)?.[property.id] : inside.get(`${file.id}/${holder}`)?.[property.id]) ?? null;
    const texts = [...new Set(addresses.map(({ holder }) => recordText(heldBy(holder), property)))];
    return texts.length > 1 ? side(null, `its ${property.level}s hold ${texts.length} different values of ${property.caption}`) : side(texts[0] ?? null);
  };
  const sides = new Map<number, Map<number, Side>>(ids.map((id) => [id, new Map<number, Side>()]));
  for (const { file, link, ends } of asked) {
    let chosen: Side | undefined;
    for (const end of ends) {
      const side = sideOf(file, end);
      if (side.text !== null || side.why !== null) {
        chosen = side;
        break;
      }
      // If no address holds a value, the first one with a place is written.
      if (!chosen || (chosen.targets.length === 0 && side.targets.length > 0)) chosen = side;
    }
    sides.get(file.id)!.set(link.id, chosen ?? NOWHERE);
  }
  return sides;
}

const NOWHERE: Side = { text: null, why: null, end: null, property: null, targets: [] };

/** An address of a link for a kind of file. */
interface KindEnd {
  readonly end: LinkEnd;
  readonly property: Property | null;
  readonly slot: Slot | null;
  /** In the file, in holders inside it, or in its model. */
  readonly place: 'file' | 'inside' | 'model';
}

interface Asked {
  readonly of: KindEnd;
  readonly addresses: readonly Address[];
}

/** Addresses of a link for a kind of file. */
const endsIn = (link: Link, kind: Kind, properties: ReadonlyMap<number, Property>): KindEnd[] =>
  link.at.flatMap((end): KindEnd[] => {
    if (!('property' in end)) return [{ end, property: null, slot: endSlot(end, kind, properties), place: 'file' }];
    const property = properties.get(end.property);
    if (!property || property.retired) return [];
    if (end.of === 'model') return kind === 'drawing' ? [{ end, property, slot: null, place: 'model' }] : [];
    if (!property.kinds.includes(kind)) return [];
    return [{ end, property, slot: slotOf(property, kind), place: property.level === 'document' ? 'file' : 'inside' }];
  });
