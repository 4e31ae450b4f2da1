import { DxfGroups, Entity } from './groups';

/** What the drawing says of a layout. */
export interface LayoutRecord {
  readonly name: string;
  /** Handle of the record of its block. */
  readonly record: string;
  /** Its place among the layouts; -1 where that is not said. */
  readonly order: number;
  /** The paper that it is set up for, in millimetres; `null` where that is not said. */
  readonly paper: { readonly width: number; readonly height: number } | null;
}

/** A layout as its object says it; `null` for other objects, and for layouts without a name or a block. */
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

/** The layout that is the model, and the one of versions that have a single sheet. */
export const MODEL = 'model';
const ONE_SHEET = 'paper';

/** The layout that an object of the section of objects is on, by the names of layouts of block records. */
export const layoutOfEntity = (groups: DxfGroups, entity: Entity, names: ReadonlyMap<string, string>): string =>
  groups.get(entity, 67)?.trim() === '1' ? (names.get(groups.get(entity, 330)?.trim() ?? '') ?? ONE_SHEET) : MODEL;

/** The layout that a block of a whole layout is; `null` for other blocks. */
export function layoutOfBlock(groups: DxfGroups, block: Entity, names: ReadonlyMap<string, string>): string | null {
  const name = groups.get(block, 2) ?? '';
  if (!/^\*(paper|model)_space/i.test(name)) return null;
  return names.get(groups.get(block, 330)?.trim() ?? '') ?? (/model/i.test(name) ? MODEL : name);
}

/** A layout with all that is on it. */
export interface LayoutBody {
  readonly entities: readonly Entity[];
  readonly paper: LayoutRecord['paper'];
}

/** All layouts of a drawing that anything is on, by name. */
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
    // Vertices and attributes stand where the object before them does.
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
