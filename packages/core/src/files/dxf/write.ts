import { FileChange, FileError, Point, letteringOf } from '../contract';
import { Edit } from '../edits';
import { BlockContent, DxfContent, InsertContent } from './content';
import { asPlaced } from './lettering';
import { openDxf } from './read';
import { codedText, toMtext } from './text';

const encoder = new TextEncoder();

/** The edits that make a DXF file hold the given values. @throws FileError */
export function modifyDxf(bytes: Uint8Array, changes: readonly FileChange[]): Edit[] {
  const content = openDxf(bytes, false);
  const seen = new Set<string>();
  const gained = new Map<InsertContent, { readonly tag: string; readonly text: string }[]>();
  const byName = new Map(content.properties.map((property) => [property.name, property]));
  const byHolder = new Map(content.inserts.map((insert) => [insert.holder, insert]));
  const edits = changes.flatMap((change) => {
    const place = JSON.stringify([change.holder, change.place, change.name]);
    if (seen.has(place)) throw new FileError('change-twice', `${change.name} is changed twice in the same step.`);
    seen.add(place);
    switch (change.place) {
      case 'cell':
        return cellEdits(content, byHolder.get(change.holder), change, gained);
      case 'field': {
        const field = content.fields.find((f) => f.name === change.name);
        if (!field) throw new FileError('no-field', `The file has no field ${change.name}.`);
        if (field.valueAt < 0) throw new FileError('fact', `${change.name} is written by the program that saves the drawing and cannot be changed.`);
        return [valueEdit(content, field.valueAt, change.value?.text ?? '')];
      }
      case 'lettering':
        return letteringEdits(content, byHolder.get(change.holder), change);
      case 'property':
        return propertyEdits(content, byName, change);
      case 'fact':
        throw new FileError('fact', `${change.name} is a fact about the drawing and cannot be written.`);
    }
  });
  return [...edits, ...gainedEdits(content, gained)];
}

const encoded = (content: DxfContent, text: string): Uint8Array => encoder.encode(content.text.encode(text));

function valueEdit(content: DxfContent, at: number, text: string): Edit {
  const { starts, ends } = content.index;
  return { offset: starts[at]!, length: ends[at]! - starts[at]!, insert: encoded(content, text) };
}

function cellEdits(
  content: DxfContent,
  insert: InsertContent | undefined,
  change: FileChange,
  gained: Map<InsertContent, { readonly tag: string; readonly text: string }[]>,
): Edit[] {
  if (!insert) throw new FileError('no-holder', `The drawing has no title block ${change.holder}.`);
  const text = change.value?.text ?? '';
  const cell = insert.cells.find((candidate) => candidate.tag === change.name);
  if (!cell) {
    if (!insert.missing.includes(change.name)) throw new FileError('no-cell', `The block ${insert.block} defines no cell ${change.name}.`);
    if (text !== '') gained.set(insert, [...(gained.get(insert) ?? []), { tag: change.name, text }]);
    return [];
  }
  if (cell.fixed !== undefined)
    throw new FileError(
      'cell-fixed',
      cell.fixed === 'constant'
        ? `The cell ${change.name} is constant: its text belongs to the block definition, not to the sheet.`
        : `The drawing computes the cell ${change.name} itself (${cell.fixed}).`,
    );
  if (cell.paragraph) return [valueEdit(content, cell.valueAt, codedText(toMtext(text)))];
  if (cell.inner.length === 0) return [valueEdit(content, cell.valueAt, codedText(text))];
  // A multi-line attribute holds its text twice: its first line, and all of it in an inner MTEXT.
  const [kept, ...others] = [...cell.inner].reverse();
  const { lines, ends } = content.index;
  const removed = others.map((at) => ({ offset: lines[at]!, length: (lines[at + 1] ?? ends[at]!) - lines[at]!, insert: new Uint8Array() }));
  return [valueEdit(content, cell.valueAt, codedText(text.split(/\r?\n/)[0]!)), ...removed, valueEdit(content, kept!, codedText(toMtext(text)))];
}

/** The edits that letter a cell; without a value, as its block says. */
function letteringEdits(content: DxfContent, insert: InsertContent | undefined, change: FileChange): Edit[] {
  if (!insert) throw new FileError('no-holder', `The drawing has no title block ${change.holder}.`);
  const named = letteringOf(change.name);
  const cell = insert.cells.find((candidate) => candidate.tag === named?.tag);
  if (!named || !cell || cell.heightAt < 0) throw new FileError('no-cell', `The sheet has no cell ${named?.tag ?? change.name}.`);
  const wanted = change.value === null ? null : Number(change.value.text);
  if (wanted !== null && !(Number.isFinite(wanted) && wanted > 0))
    throw new FileError('no-number', `The ${named.aspect} of ${named.tag} must be a number greater than 0.`);
  const block = content.blocks.find((candidate) => candidate.name.toLowerCase() === insert.block.toLowerCase());
  const i = block?.cells.findIndex((candidate) => candidate.tag === named.tag) ?? -1;
  const [defined, raw] = [block?.cells[i], block?.definitions[i]];
  if (wanted === null && (!defined || !raw)) throw new FileError('no-block', `No block in the drawing defines the ${named.aspect} of ${named.tag}.`);
  const said = defined && asPlaced(defined, insert.scale);
  // As the block writes it, so that what is undone is as it was.
  const written = (n: number | undefined, own: string | undefined) => (own !== undefined && Number(own) === n ? own : number(n!));
  if (named.aspect === 'height') {
    const text = wanted === null ? written(said!.height, raw!.height) : number(wanted);
    return [cell.heightAt, cell.innerHeightAt].filter((at) => at >= 0).map((at) => valueEdit(content, at, text));
  }
  if (cell.inner.length > 0) throw new FileError('no-width', `The cell ${named.tag} has several lines; their width is set inside the text.`);
  const { lines, eol } = content.index;
  if (wanted === null && raw!.widthFactor === undefined && said!.widthFactor === 1)
    return cell.widthAt < 0 ? [] : [{ offset: lines[cell.widthAt]!, length: lines[cell.widthAt + 1]! - lines[cell.widthAt]!, insert: new Uint8Array() }];
  const text = wanted === null ? written(said!.widthFactor, raw!.widthFactor) : number(wanted);
  if (cell.widthAt >= 0) return [valueEdit(content, cell.widthAt, text)];
  return [{ offset: lines[cell.heightAt + 1]!, length: 0, insert: encoder.encode(groupText(41, text, eol)) }];
}

/** Gives inserts the attributes that they lack: placed as the block's definition says, moved, scaled and turned as the insert is. */
function gainedEdits(content: DxfContent, gained: ReadonlyMap<InsertContent, readonly { readonly tag: string; readonly text: string }[]>): Edit[] {
  if (gained.size === 0) return [];
  const { index, version, handleSeedAt } = content;
  const modern = version >= 'AC1015';
  const seedText = handleSeedAt < 0 ? '' : String.fromCharCode(...index.bytes.subarray(index.starts[handleSeedAt], index.ends[handleSeedAt])).trim();
  if (modern && !/^[0-9A-Fa-f]+$/.test(seedText))
    throw new FileError('no-handles', 'The drawing does not state its next free handle, so no attribute can be added.');
  let next = seedText ? BigInt(`0x${seedText}`) : 0n;
  const edits: Edit[] = [];
  for (const [insert, cells] of gained) {
    const block = content.blocks.find((candidate) => candidate.name.toLowerCase() === insert.block.toLowerCase())!;
    const handled = insert.handle !== undefined && seedText !== '';
    const groups: [number, string][] = [];
    for (const { tag, text } of cells) {
      const i = block.cells.findIndex((cell) => cell.tag === tag);
      const [cell, definition] = [block.cells[i]!, block.definitions[i]!];
      const aligned = definition.align !== '0' || definition.valign !== '0';
      groups.push([0, 'ATTRIB']);
      if (handled) groups.push([5, (next++).toString(16).toUpperCase()]);
      if (modern) groups.push([330, insert.handle!], [100, 'AcDbEntity']);
      if (insert.inPaper) groups.push([67, '1']);
      groups.push([8, content.text.encode(definition.layer)]);
      if (definition.lineType !== undefined) groups.push([6, content.text.encode(definition.lineType)]);
      if (definition.colour !== undefined) groups.push([62, definition.colour]);
      if (modern && definition.trueColour !== undefined) groups.push([420, definition.trueColour]);
      if (modern) groups.push([100, 'AcDbText']);
      groups.push(
        ...pointGroups(10, place(insert, block, definition.first)),
        [40, number(cell.height * Math.abs(insert.scale.y))],
        [1, content.text.encode(codedText(text))],
      );
      groups.push([50, number(cell.rotation + insert.rotation)], [41, number(cell.widthFactor * Math.abs(insert.scale.x / insert.scale.y))]);
      if (definition.oblique !== 0) groups.push([51, number(definition.oblique)]);
      if (definition.style) groups.push([7, content.text.encode(definition.style)]);
      groups.push([72, definition.align]);
      if (aligned) groups.push(...pointGroups(11, place(insert, block, definition.second)));
      if (modern) groups.push([100, 'AcDbAttribute']);
      groups.push([2, content.text.encode(definition.tag)], [70, String(Number(definition.flags) & ~2)], [74, definition.valign]);
    }
    if (!insert.hasAttributes) {
      groups.push([0, 'SEQEND']);
      if (handled) groups.push([5, (next++).toString(16).toUpperCase()]);
      if (modern) groups.push([330, insert.handle!], [100, 'AcDbEntity']);
      if (insert.inPaper) groups.push([67, '1']);
      groups.push([8, insert.layer]);
      edits.push({ offset: index.lines[insert.nameAt]!, length: 0, insert: encoder.encode(written([[66, '1']], index.eol)) });
    }
    edits.push({ offset: index.lines[insert.attributesEnd]!, length: 0, insert: encoder.encode(written(groups, index.eol)) });
  }
  if (seedText) edits.push(valueEdit(content, handleSeedAt, next.toString(16).toUpperCase()));
  return edits;
}

const number = (n: number) => (Number.isInteger(n) ? n.toFixed(1) : String(Number(n.toPrecision(15))));
const pointGroups = (code: number, { x, y }: Point): [number, string][] => [
  [code, number(x)],
  [code + 10, number(y)],
  [code + 20, '0.0'],
];
const groupText = (code: number, value: string, eol: string): string => `${String(code).padStart(3)}${eol}${value}${eol}`;
const written = (groups: readonly (readonly [number, string])[], eol: string) => groups.map(([code, value]) => groupText(code, value, eol)).join('');

/** A point of a block where an insert puts it. */
function place(insert: InsertContent, block: BlockContent, point: Point): Point {
  const angle = (insert.rotation * Math.PI) / 180;
  const [x, y] = [(point.x - block.base.x) * insert.scale.x, (point.y - block.base.y) * insert.scale.y];
  return { x: insert.at.x + x * Math.cos(angle) - y * Math.sin(angle), y: insert.at.y + x * Math.sin(angle) + y * Math.cos(angle) };
}

function propertyEdits(content: DxfContent, byName: ReadonlyMap<string, DxfContent['properties'][number]>, change: FileChange): Edit[] {
  if (change.holder !== '') throw new FileError('no-holder', 'A drawing can hold properties only for the whole document.');
  const { index, properties, version } = content;
  const existing = byName.get(change.name);
  if (existing && change.value) return [valueEdit(content, existing.valueAt, change.value.text)];
  if (existing) {
    const from = index.lines[existing.first]!;
    return [{ offset: from, length: index.lines[existing.valueAt + 1]! - from, insert: new Uint8Array() }];
  }
  if (!change.value) return [];
  if (version < 'AC1018') throw new FileError('version', `Drawings of version ${version} cannot hold document properties; AC1018 and later can.`);
  if (content.headerEnd < 0) throw new FileError('no-header', 'The drawing has no header section, so it cannot hold document properties.');
  const last = properties.at(-1);
  const at = index.lines[last ? last.valueAt + 1 : content.headerEnd]!;
  const parts = ['  9', '$CUSTOMPROPERTYTAG', '  1', encoded(content, change.name), '  9', '$CUSTOMPROPERTY', '  1', encoded(content, change.value.text)];
  const eol = encoder.encode(index.eol);
  const chunks = parts.flatMap((part) => [typeof part === 'string' ? encoder.encode(part) : part, eol]);
  const insert = new Uint8Array(chunks.reduce((sum, chunk) => sum + chunk.length, 0));
  let to = 0;
  for (const chunk of chunks) {
    insert.set(chunk, to);
    to += chunk.length;
  }
  return [{ offset: at, length: 0, insert }];
}
