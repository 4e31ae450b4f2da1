import { Anchor, FileChange, FileError, Point, anchorName, anchorOf, anchorText } from '../contract';
import { DxfGroups, Entity } from './groups';
import { GroupSplice } from './carry';
import { SheetText } from './plain-cells';

/** Application name under which a text carries its anchor, as extended data: it stays with the text wherever the drawing goes. */
const APPLICATION = 'RULE_CELL';

/** A plain text of a layout. */
export interface DrawingText {
  readonly layout: string;
  readonly layer: string;
  readonly at: Point;
  readonly text: string;
  readonly place: SheetText<unknown>['place'];
  /** Whether it has formatting of its own, which writing would lose. */
  readonly formatted: boolean;
  readonly anchor: Anchor | null;
  /** Groups of the text, and of its anchor; -1 for none. */
  readonly to: number;
  readonly anchorFrom: number;
  readonly anchorTo: number;
}

/** Groups of an entity's anchor. `from` is -1 if it has none. */
export function anchorGroups(groups: DxfGroups, entity: Entity): { readonly anchor: Anchor | null; readonly from: number; readonly to: number } {
  const { codes } = groups.index;
  for (let k = entity.from + 1; k < entity.to; k++) {
    if (codes[k] !== 1001 || groups.raw(k) !== APPLICATION) continue;
    let to = k + 1;
    while (to < entity.to && codes[to] !== 1001) to++;
    return { anchor: codes[k + 1] === 1000 ? anchorOf(groups.value(k + 1)) : null, from: k, to };
  }
  return { anchor: null, from: -1, to: -1 };
}

/** Registers the application, which extended data needs. */
function registered(groups: DxfGroups, free: () => string): GroupSplice[] {
  const tables = groups.sections.get('TABLES');
  if (!tables) throw new FileError('no-tables', 'The drawing has no tables, so its texts cannot be anchored.');
  const records = groups.within('TABLES');
  const modern = groups.version >= 'AC1015';
  const at = records.findIndex((record) => record.type === 'TABLE' && groups.get(record, 2)?.trim().toUpperCase() === 'APPID');
  const end = records.findIndex((record, i) => i > at && record.type === 'ENDTAB');
  if (at < 0 || end < 0) {
    if (modern) throw new FileError('no-tables', 'The drawing has no table of applications, so its texts cannot be anchored.');
    const table = [
      [0, 'TABLE'],
      [2, 'APPID'],
      [70, '1'],
      [0, 'APPID'],
      [2, APPLICATION],
      [70, '0'],
      [0, 'ENDTAB'],
    ] as const;
    return [{ at: tables.to, to: tables.to, groups: table }];
  }
  if (records.slice(at + 1, end).some((record) => groups.get(record, 2)?.trim().toUpperCase() === APPLICATION)) return [];
  const owner = groups.get(records[at]!, 5)?.trim();
  // Drawings of AC1009 may do without handles.
  const handles = owner !== undefined || records.slice(at + 1, end).some((record) => groups.find(record, 5) >= 0);
  const place = records[end]!.from;
  return [
    {
      at: place,
      to: place,
      groups: [
        [0, 'APPID'],
        ...(modern || handles ? [[5, free()] as const] : []),
        ...(modern ? ([...(owner === undefined ? [] : [[330, owner] as const]), [100, 'AcDbSymbolTableRecord'], [100, 'AcDbRegAppTableRecord']] as const) : []),
        [2, APPLICATION],
        [70, '0'],
      ],
    },
  ];
}

/**
 * Anchors texts or lets them go.
 * @param free allocates a handle
 * @throws FileError if there is no such text or it cannot be anchored
 */
export function anchorSplices(groups: DxfGroups, texts: readonly DrawingText[], changes: readonly FileChange[], free: () => string): GroupSplice[] {
  const byName = new Map<string, DrawingText[]>();
  for (const text of texts) {
    const name = anchorName(text);
    byName.set(name, [...(byName.get(name) ?? []), text]);
  }
  const splices = changes.flatMap(({ holder, name, value }): GroupSplice[] => {
    const found = byName.get(name) ?? [];
    // The one that is anchored already counts among several at one place.
    const text = found.find((candidate) => candidate.anchor !== null) ?? found[0];
    if (holder !== '' || !text) throw new FileError('no-text', `The drawing has no plain text at ${name}.`);
    if (found.length > 1 && !text.anchor) throw new FileError('several-texts', `Several texts stand at ${name}.`);
    if (value === null) return text.anchorFrom < 0 ? [] : [{ at: text.anchorFrom, to: text.anchorTo, groups: [] }];
    const anchor = anchorOf(value.text);
    if (!anchor) throw new FileError('bad-anchor', `${JSON.stringify(value.text)} does not name a cell.`);
    if (text.formatted) throw new FileError('formatted', `The text ${JSON.stringify(text.text)} has formatting of its own, which would be lost.`);
    const [from, to] = text.anchorFrom < 0 ? [text.to, text.to] : [text.anchorFrom, text.anchorTo];
    return [
      {
        at: from,
        to,
        groups: [
          [1001, APPLICATION],
          [1000, anchorText(anchor)],
        ],
      },
    ];
  });
  return splices.some((splice) => splice.groups.length > 0) ? [...registered(groups, free), ...splices] : splices;
}
