import { DxfGroups, Entity } from './groups';

/** A layout record. */
export interface LayoutRecord {
  readonly name: string;
  /** Handle of its block record. */
  readonly record: string;
  /** Tab order; -1 if not stated. */
  readonly order: number;
  /** Paper size in millimetres; `null` if not stated. */
  readonly paper: { readonly width: number; readonly height: number } | null;
}

/** Parses a LAYOUT object; `null` for others and incomplete ones. */
export function layoutRecord(groups: DxfGroups, object: Entity): LayoutRecord | null {
  if (object.type !== 'LAYOUT') return null;
  const { codes } = groups.index;
  let k = object.from + 1;
  const paper = { width: 0, height: 0 };
  for (; k < object.to && !(codes[k] === 100 && groups.raw(k) === 'AcDbLayout'); k++) {
    if (codes[k] === 44) paper.width = Number(groups.raw(k));
    if (codes[k] === 45) paper.height = Number(groups.raw(k));
  }
  let name = '';
  let record = '';
  let order = -1;
  for (; k < object.to; k++) {
    if (codes[k] === 1 && name === '') name = groups.value(k);
    if (codes[k] === 71) order = Number(groups.raw(k));
    if (codes[k] === 330) record = groups.raw(k);
  }
  return name && record ? { name, record, order, paper: paper.width > 0 && paper.height > 0 ? paper : null } : null;
}

/** Names of model space, and of paper space in old versions. */
export const MODEL = 'model';
const ONE_SHEET = 'paper';

/** The layout of an entity, by block record names. */
export const layoutOfEntity = (groups: DxfGroups, entity: Entity, names: ReadonlyMap<string, string>): string =>
  groups.get(entity, 67)?.trim() === '1' ? (names.get(groups.get(entity, 330)?.trim() ?? '') ?? ONE_SHEET) : MODEL;

/** The layout of a layout block; `null` for other blocks. */
export function layoutOfBlock(groups: DxfGroups, block: Entity, names: ReadonlyMap<string, string>): string | null {
  const name = groups.get(block, 2) ?? '';
  if (!/^\*(paper|model)_space/i.test(name)) return null;
  return names.get(groups.get(block, 330)?.trim() ?? '') ?? (/model/i.test(name) ? MODEL : name);
}

/** A layout with its entities. */
export interface LayoutBody {
  readonly entities: readonly Entity[];
  readonly paper: LayoutRecord['paper'];
}

/** All non-empty layouts by name. */
export function layoutsOf(groups: DxfGroups): Map<string, LayoutBody> {
  const records = groups.within('OBJECTS').flatMap((object) => layoutRecord(groups, object) ?? []);
  const names = new Map(records.map(({ record, name }) => [record, name]));
  const papers = new Map(records.map(({ name, paper }) => [name, paper]));
  const bodies = new Map<string, Entity[]>();
  const into = (name: string): Entity[] => {
    const body = bodies.get(name) ?? [];
    bodies.set(name, body);
    return body;
  };
  let current = into(MODEL);
  for (const entity of groups.within('ENTITIES')) {
    // Vertices and attributes follow their owner.
    if (!['VERTEX', 'ATTRIB', 'SEQEND'].includes(entity.type)) current = into(layoutOfEntity(groups, entity, names));
    current.push(entity);
  }
  const blocks = groups.within('BLOCKS');
  for (let i = 0; i < blocks.length; i++) {
    if (blocks[i]!.type !== 'BLOCK') continue;
    const layout = layoutOfBlock(groups, blocks[i]!, names);
    let end = i + 1;
    while (end < blocks.length && blocks[end]!.type !== 'ENDBLK') end++;
    if (layout !== null) into(layout).push(...blocks.slice(i + 1, end));
    i = end;
  }
  return new Map([...bodies].map(([name, entities]) => [name, { entities, paper: papers.get(name) ?? null }]));
}
