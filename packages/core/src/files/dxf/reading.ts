import { heldText } from '../../values';
import { PlacedBlock, FileReading, ReadValue, anchorName, anchorText, HolderReading, PLACED, placedText } from '../contract';
import { InsertContent } from './content';
import { letteringValues } from './lettering';
import { openDxf } from './read';

/** An insert's placement. */
export const placeOf = ({ block, at, scale, layout }: InsertContent): PlacedBlock => ({ block, at, scale: Math.abs(scale.y), layout });

/**
 * Reads a DXF file.
 * @throws FileError if it is broken or binary
 */
export function readDxf(bytes: Uint8Array, whole = true): FileReading {
  const content = openDxf(bytes, whole);
  const document: ReadValue[] = [
    ...content.fields.filter((field) => field.value !== '').map(({ name, value }) => ({ place: 'field' as const, name, held: heldText(value) })),
    ...content.properties.map(({ name, value }) => ({ place: 'property' as const, name, held: heldText(value) })),
  ];
  for (const text of content.texts) if (text.anchor) document.push({ place: 'anchor', name: anchorName(text), held: heldText(anchorText(text.anchor)) });
  const holders: HolderReading[] = [{ level: 'document', key: '', label: '', values: document }];
  const byName = new Map(content.blocks.map((block) => [block.name.toLowerCase(), block]));
  for (const insert of content.inserts)
    holders.push({
      level: 'sheet',
      key: insert.holder,
      label: insert.madeFrom ?? insert.block,
      values: [
        ...insert.cells.map(({ tag, text, fixed }) => ({
          place: 'cell' as const,
          name: tag,
          held: heldText(text),
          ...(fixed === undefined ? {} : { fixed }),
        })),
        ...letteringValues(insert, byName.get(insert.block.toLowerCase())),
        ...(insert.from >= 0 && insert.inside === undefined ? [{ place: 'placed' as const, name: PLACED, held: heldText(placedText(placeOf(insert))) }] : []),
      ],
    });
  return {
    format: 'dxf',
    version: content.version,
    kind: 'drawing',
    holders,
    structure: null,
    blocks: content.blocks.map(({ name, cells, shapes }) => ({ name, cells, shapes })),
    inserts: content.inserts.map(({ block, madeFrom, holder, layout, missing, fixed, inside, scale, own, around, view }) => ({
      block,
      ...(madeFrom === undefined ? {} : { madeFrom }),
      holder,
      layout,
      missing,
      ...(fixed === undefined ? {} : { fixed }),
      ...(inside === undefined ? {} : { inside }),
      ...(around === undefined ? {} : { around }),
      ...(view === undefined ? {} : { view }),
      ...(Math.abs(scale.y) === 1 || scale.y === 0 ? {} : { scale: Math.abs(scale.y) }),
      ...(Object.keys(own).length === 0 ? {} : { own }),
    })),
    sheets: content.sheets,
    ...(/^[0-9A-Fa-f]+$/.test(content.nextHandle) ? { nextHandle: content.nextHandle } : {}),
    problems: content.problems,
  };
}
