import { CarriedBlock, CarriedRecord, FileChange, FileError, PLACED, PlacedBlock, Point, letteringOf, placedOf } from '../contract';
import { Edit, applyEdits } from '../edits';
import { anchorSplices } from './anchors';
import { GroupSplice, definitionSplices, removalSplices } from './carry';
import { BlockContent, DxfContent, InsertContent } from './content';
import { asPlaced } from './lettering';
import { DxfGroups } from './groups';
import { openDxf } from './read';
import { codedText, toMtext } from './text';

/**
 * Edits that write values to a DXF file.
 * @throws FileError
 */
export function modifyDxf(bytes: Uint8Array, changes: readonly FileChange[]): Edit[] {
  const original = openDxf(bytes, false);
  const definitions = changes.filter((change) => change.place === 'block');
  const content = definitions.length ? withDefinitions(bytes, original, definitions) : original;
  const seen = new Set<string>();
  const gained = new Map<InsertContent, { readonly tag: string; readonly text: string }[]>();
  const byName = new Map(content.properties.map((property) => [property.name, property]));
  const byHolder = new Map(content.inserts.map((insert) => [insert.holder, insert]));
  const placing = new Placing(content, byHolder);
  for (const change of changes) if (change.place === 'placed') placing.take(change);
  const edits = changes.flatMap((change) => {
    const place = JSON.stringify([change.holder, change.place, change.name]);
    if (seen.has(place)) throw new FileError('change-twice', `${change.name} is changed twice in the same step.`);
    seen.add(place);
    switch (change.place) {
      case 'placed':
      case 'block':
      case 'anchor':
        return [];
      case 'cell':
        if (placing.takesCell(change)) return [];
        return cellEdits(content, byHolder.get(change.holder), change, gained);
      case 'field': {
        const field = content.fields.find((f) => f.name === change.name);
        if (!field) throw new FileError('no-field', `The file has no field ${change.name}.`);
        if (field.valueAt < 0) throw new FileError('fact', `${change.name} is written by the program that saves the drawing and cannot be changed.`);
        return [valueEdit(content, field.valueAt, change.value?.text ?? '')];
      }
      case 'lettering':
        if (placing.goes(change.holder)) return [];
        return letteringEdits(content, byHolder.get(change.holder), change);
      case 'property':
        return propertyEdits(content, byName, change);
      case 'fact':
        throw new FileError('fact', `${change.name} is a fact about the drawing and cannot be written.`);
    }
  });
  const handles = new Handles(content);
  const added = [
    ...placing.edits(handles),
    ...gainedEdits(content, gained, handles),
    ...definitionEdits(bytes, content, definitions, () => handles.free()),
    ...anchorEdits(bytes, content, changes, handles),
  ];
  return [...edits, ...added, ...handles.edits()];
}

/** Edits that add or remove block definitions. */
function definitionEdits(bytes: Uint8Array, content: DxfContent, changes: readonly FileChange[], free: () => string): Edit[] {
  // Shared layers, styles and line types are added once.
  const brought = new Set<string>();
  return changes.flatMap(({ holder, name, value, definition }) => {
    if (holder !== '') throw new FileError('no-holder', 'Blocks are defined in the whole drawing.');
    if (value !== null && !definition) throw new FileError('no-definition', `It is not said what the block ${name} consists of.`);
    const splices = value === null ? removalSplices(bytes, name) : definitionSplices(bytes, withoutKnown(definition!, brought), free);
    return splices.map((splice) => splicedEdit(content, splice));
  });
}

function splicedEdit(content: DxfContent, { at, to, groups }: GroupSplice): Edit {
  const { lines, eol } = content.index;
  return {
    offset: lines[at]!,
    length: lines[to]! - lines[at]!,
    insert: content.text.bytes(groups.map(([code, text]) => groupText(code, content.text.encode(text), eol)).join('')),
  };
}

/** Edits that anchor plain texts or let them go. */
function anchorEdits(bytes: Uint8Array, content: DxfContent, changes: readonly FileChange[], handles: Handles): Edit[] {
  const own = changes.filter((change) => change.place === 'anchor');
  return own.length === 0 ? [] : anchorSplices(new DxfGroups(bytes), content.texts, own, () => handles.free()).map((splice) => splicedEdit(content, splice));
}

/** Removes records already added in this step. */
function withoutKnown(carried: CarriedBlock, brought: Set<string>): CarriedBlock {
  const fresh = (kind: string, records: readonly CarriedRecord[]) =>
    records.filter(({ name }) => {
      const key = `${kind}/${name.toLowerCase()}`;
      if (brought.has(key)) return false;
      brought.add(key);
      return true;
    });
  return { ...carried, layers: fresh('layer', carried.layers), styles: fresh('style', carried.styles), lineTypes: fresh('line type', carried.lineTypes) };
}

/** The drawing with its new block definitions, so that placements find them. */
function withDefinitions(bytes: Uint8Array, original: DxfContent, changes: readonly FileChange[]): DxfContent {
  let next = BigInt(`0x${/^[0-9A-Fa-f]+$/.test(original.nextHandle) ? original.nextHandle : '1'}`);
  const after = applyEdits(
    bytes,
    definitionEdits(bytes, original, changes, () => (next++).toString(16).toUpperCase()),
  );
  return { ...original, blocks: openDxf(after, false).blocks };
}

const encoded = (content: DxfContent, text: string): Uint8Array => content.text.bytes(content.text.encode(text));

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
    const gives =
      insert.missing.includes(change.name) || blockNamed(content, insert.block)?.cells.some(({ tag, constant }) => tag === change.name && !constant);
    if (!gives) throw new FileError('no-cell', `The block ${insert.block} defines no cell ${change.name}.`);
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
  // Multi-line attributes hold their first line, and everything in an MTEXT.
  const [kept, ...others] = [...cell.inner].reverse();
  const { lines, ends } = content.index;
  const removed = others.map((at) => ({ offset: lines[at]!, length: (lines[at + 1] ?? ends[at]!) - lines[at]!, insert: new Uint8Array() }));
  return [valueEdit(content, cell.valueAt, codedText(text.split(/\r?\n/)[0]!)), ...removed, valueEdit(content, kept!, codedText(toMtext(text)))];
}

/** Edits of a cell's lettering; without a value, reset to the block's. */
function letteringEdits(content: DxfContent, insert: InsertContent | undefined, change: FileChange): Edit[] {
  if (!insert) throw new FileError('no-holder', `The drawing has no title block ${change.holder}.`);
  const named = letteringOf(change.name);
  const cell = insert.cells.find((candidate) => candidate.tag === named?.tag);
  if (!named || !cell || cell.heightAt < 0) throw new FileError('no-cell', `The sheet has no cell ${named?.tag ?? change.name}.`);
  const wanted = change.value === null ? null : Number(change.value.text);
  if (wanted !== null && !(Number.isFinite(wanted) && wanted > 0))
    throw new FileError('no-number', `The ${named.aspect} of ${named.tag} must be a number greater than 0.`);
  const block = blockNamed(content, insert.block);
  const i = block?.cells.findIndex((candidate) => candidate.tag === named.tag) ?? -1;
  const [defined, raw] = [block?.cells[i], block?.definitions[i]];
  if (wanted === null && (!defined || !raw)) throw new FileError('no-block', `No block in the drawing defines the ${named.aspect} of ${named.tag}.`);
  const said = defined && asPlaced(defined, insert.scale);
  // Written exactly as in the block, so an undo is exact.
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
  return [{ offset: lines[cell.heightAt + 1]!, length: 0, insert: content.text.bytes(groupText(41, text, eol)) }];
}

type Groups = [number, string][];

/** Allocates handles. */
class Handles {
  private readonly modern: boolean;
  private readonly first: bigint | null;
  private next: bigint;
  private used: ReadonlySet<string> | null = null;

  constructor(private readonly content: DxfContent) {
    this.modern = content.version >= 'AC1015';
    this.first = /^[0-9A-Fa-f]+$/.test(content.nextHandle) ? BigInt(`0x${content.nextHandle}`) : null;
    this.next = this.first ?? 0n;
  }
  /**
   * Whether the drawing uses handles.
   * @throws FileError if they are required but unknown
   */
  get given(): boolean {
    if (this.modern && this.first === null) throw new FileError('no-handles', 'The drawing does not state its next free handle, so no attribute can be added.');
    return this.first !== null;
  }
  /** An unused handle. */
  free(): string {
    return (this.next++).toString(16).toUpperCase();
  }
  /**
   * Claims a handle.
   * @throws FileError if it is taken
   */
  take(handle: string): void {
    if (!this.used) {
      const { codes, starts, ends, bytes } = this.content.index;
      const used = new Set<string>();
      for (let k = 0; k < codes.length; k++)
        if ((codes[k] === 5 || codes[k] === 105) && k !== this.content.handleSeedAt)
          used.add(
            String.fromCharCode(...bytes.subarray(starts[k], ends[k]))
              .trim()
              .toUpperCase(),
          );
      this.used = used;
    }
    const wanted = BigInt(`0x${handle}`);
    if (this.used.has(handle) || (this.first !== null && wanted >= this.first && wanted < this.next))
      throw new FileError('handle-taken', `Another object of the drawing has the handle ${handle}.`);
    if (wanted >= this.next) this.next = wanted + 1n;
  }
  /** The edit of `$HANDSEED`. */
  edits(): Edit[] {
    const changed = this.first !== null && this.next !== this.first;
    return changed ? [valueEdit(this.content, this.content.handleSeedAt, this.next.toString(16).toUpperCase())] : [];
  }
}

/** Placement for new attributes. */
type Ground = Pick<InsertContent, 'at' | 'scale' | 'rotation' | 'inPaper'> & { readonly handle: string | undefined };

/** An attribute built from its definition, transformed like the insert. */
function attributeGroups(content: DxfContent, block: BlockContent, ground: Ground, tag: string, text: string, handles: Handles): Groups {
  const modern = content.version >= 'AC1015';
  const i = block.cells.findIndex((cell) => cell.tag === tag);
  const [cell, definition] = [block.cells[i]!, block.definitions[i]!];
  const aligned = definition.align !== '0' || definition.valign !== '0';
  const groups: [number, string][] = [[0, 'ATTRIB']];
  if (handles.given && ground.handle !== undefined) groups.push([5, handles.free()]);
  if (modern) groups.push([330, ground.handle!], [100, 'AcDbEntity']);
  if (ground.inPaper) groups.push([67, '1']);
  groups.push([8, content.text.encode(definition.layer)]);
  if (definition.lineType !== undefined) groups.push([6, content.text.encode(definition.lineType)]);
  if (definition.colour !== undefined) groups.push([62, definition.colour]);
  if (modern && definition.trueColour !== undefined) groups.push([420, definition.trueColour]);
  if (modern) groups.push([100, 'AcDbText']);
  groups.push(
    ...pointGroups(10, place(ground, block, definition.first)),
    [40, number(cell.height * Math.abs(ground.scale.y))],
    [1, content.text.encode(codedText(text))],
  );
  groups.push([50, number(cell.rotation + ground.rotation)], [41, number(cell.widthFactor * Math.abs(ground.scale.x / ground.scale.y))]);
  if (definition.oblique !== 0) groups.push([51, number(definition.oblique)]);
  if (definition.style) groups.push([7, content.text.encode(definition.style)]);
  groups.push([72, definition.align]);
  if (aligned) groups.push(...pointGroups(11, place(ground, block, definition.second)));
  if (modern) groups.push([100, 'AcDbAttribute']);
  groups.push([2, content.text.encode(definition.tag)], [70, String(Number(definition.flags) & ~2)], [74, definition.valign]);
  return groups;
}

/** The SEQEND of an insert. */
function endGroups(content: DxfContent, ground: Ground, layer: string, handles: Handles): Groups {
  const groups: [number, string][] = [[0, 'SEQEND']];
  const modern = content.version >= 'AC1015';
  if (handles.given && ground.handle !== undefined) groups.push([5, handles.free()]);
  if (modern) groups.push([330, ground.handle!], [100, 'AcDbEntity']);
  if (ground.inPaper) groups.push([67, '1']);
  return [...groups, [8, layer]];
}

/** Adds missing attributes to inserts. */
function gainedEdits(
  content: DxfContent,
  gained: ReadonlyMap<InsertContent, readonly { readonly tag: string; readonly text: string }[]>,
  handles: Handles,
): Edit[] {
  const { index } = content;
  return [...gained].flatMap(([insert, cells]) => {
    const block = blockNamed(content, insert.block)!;
    const groups = cells.flatMap(({ tag, text }) => attributeGroups(content, block, insert, tag, text, handles));
    const edits: Edit[] = [];
    if (!insert.hasAttributes) {
      groups.push(...endGroups(content, insert, insert.layer, handles));
      edits.push({ offset: index.lines[insert.nameAt]!, length: 0, insert: content.text.bytes(written([[66, '1']], index.eol)) });
    }
    edits.push({ offset: index.lines[insert.attributesEnd]!, length: 0, insert: content.text.bytes(written(groups, index.eol)) });
    return edits;
  });
}

const blockNamed = (content: DxfContent, name: string) => content.blocks.find((candidate) => candidate.name.toLowerCase() === name.toLowerCase());

/** Placed and removed blocks, with texts of new ones. */
class Placing {
  private readonly added = new Map<string, { readonly placed: PlacedBlock; readonly texts: Map<string, string> }>();
  private readonly removed = new Set<string>();

  constructor(
    private readonly content: DxfContent,
    private readonly byHolder: ReadonlyMap<string, InsertContent>,
  ) {}

  /** @throws FileError if it cannot be placed or removed */
  take({ holder, name, value }: FileChange): void {
    const insert = this.byHolder.get(holder);
    if (name !== PLACED) throw new FileError('no-field', `A placed block has no ${name}.`);
    if (insert && (insert.from < 0 || insert.inside !== undefined || insert.handle === undefined))
      throw new FileError('not-placed', `The block ${insert.block} cannot be removed: it has no handle or is part of another block.`);
    if (value === null) {
      if (insert) this.removed.add(holder);
      return;
    }
    const placed = placedOf(value.text);
    if (insert) throw new FileError('placed', `The block ${insert.block} is already placed; Rule does not move blocks.`);
    if (!placed) throw new FileError('bad-place', `${JSON.stringify(value.text)} does not say which block is placed where.`);
    if (!/^insert:[0-9A-F]+$/.test(holder)) throw new FileError('no-holder', `${holder} is not a handle.`);
    if (!blockNamed(this.content, placed.block)) throw new FileError('no-block', `The drawing does not define the block ${placed.block}.`);
    this.added.set(holder, { placed, texts: new Map() });
  }
  goes = (holder: string): boolean => this.removed.has(holder);

  /** Whether a cell belongs to a placed or removed block. */
  takesCell({ holder, name, value }: FileChange): boolean {
    const added = this.added.get(holder);
    const block = added && blockNamed(this.content, added.placed.block)!;
    if (block && !block.cells.some((cell) => cell.tag === name && !cell.constant))
      throw new FileError('no-cell', `The block ${block.name} defines no cell ${name}.`);
    added?.texts.set(name, value?.text ?? '');
    return added !== undefined || this.removed.has(holder);
  }
  edits(handles: Handles): Edit[] {
    const { index } = this.content;
    const gone = [...this.removed].map((holder): Edit => {
      const { from, end } = this.byHolder.get(holder)!;
      return { offset: index.lines[from]!, length: index.lines[end]! - index.lines[from]!, insert: new Uint8Array() };
    });
    // New inserts follow the last one of the sheet, in order.
    const behind = new Map<InsertContent, string>();
    const inOrder = [...this.added].sort(([a], [b]) => (BigInt(`0x${a.slice(7)}`) < BigInt(`0x${b.slice(7)}`) ? -1 : 1));
    for (const [holder, { placed, texts }] of inOrder) {
      const anchor = this.anchor(placed);
      behind.set(anchor, (behind.get(anchor) ?? '') + written(this.groups(holder.slice(7), placed, texts, anchor, handles), index.eol));
    }
    return [...gone, ...[...behind].map(([anchor, text]): Edit => ({ offset: index.lines[anchor.end]!, length: 0, insert: this.content.text.bytes(text) }))];
  }
  /** An insert on the sheet, preferably a remaining one, that determines position and owner. */
  private anchor({ block, layout }: PlacedBlock): InsertContent {
    const all = this.content.inserts.filter((insert) => insert.layout === layout && insert.from >= 0 && insert.inside === undefined);
    const staying = all.filter((insert) => !this.removed.has(insert.holder));
    // If all are removed, the new one takes their position.
    const there = staying.length ? staying : all;
    const found = there.filter((insert) => insert.block.toLowerCase() === block.toLowerCase()).at(-1) ?? there.at(-1);
    if (!found) throw new FileError('no-sheet', `The sheet ${layout} has no block with cells beside which ${block} could be placed.`);
    return found;
  }
  private groups(handle: string, { block: name, at, scale }: PlacedBlock, texts: ReadonlyMap<string, string>, anchor: InsertContent, handles: Handles): Groups {
    const { content } = this;
    if (!handles.given) throw new FileError('no-handles', 'The drawing has no handles, so no block can be added. Save it in a newer version.');
    handles.take(handle);
    const block = blockNamed(content, name)!;
    const ground: Ground = { at, scale: { x: scale, y: scale }, rotation: 0, inPaper: anchor.inPaper, handle };
    const modern = content.version >= 'AC1015';
    const layer = anchor.layer;
    const owner = this.ownerOf(anchor);
    const groups: [number, string][] = [
      [0, 'INSERT'],
      [5, handle],
    ];
    if (modern && owner !== null) groups.push([330, owner]);
    if (modern) groups.push([100, 'AcDbEntity']);
    if (anchor.inPaper) groups.push([67, '1']);
    groups.push([8, layer]);
    if (modern) groups.push([100, 'AcDbBlockReference']);
    groups.push([66, '1'], [2, content.text.encode(block.name)], ...pointGroups(10, at));
    if (scale !== 1) groups.push([41, number(scale)], [42, number(scale)], [43, number(scale)]);
    for (const { tag, constant } of block.cells) if (!constant) groups.push(...attributeGroups(content, block, ground, tag, texts.get(tag) ?? '', handles));
    return [...groups, ...endGroups(content, ground, layer, handles)];
  }
  /** Owner handle of an insert; earlier 330 groups belong to reactors. */
  private ownerOf({ from, nameAt }: InsertContent): string | null {
    const { codes, starts, ends, bytes } = this.content.index;
    let inside = false;
    for (let k = from + 1; k < nameAt; k++) {
      const text = codes[k] === 102 || codes[k] === 330 ? String.fromCharCode(...bytes.subarray(starts[k], ends[k])).trim() : '';
      if (codes[k] === 102) inside = text.startsWith('{');
      else if (codes[k] === 330 && !inside) return text;
    }
    return null;
  }
}

const number = (n: number) => (Number.isInteger(n) ? n.toFixed(1) : String(Number(n.toPrecision(15))));
const pointGroups = (code: number, { x, y }: Point): [number, string][] => [
  [code, number(x)],
  [code + 10, number(y)],
  [code + 20, '0.0'],
];
const groupText = (code: number, value: string, eol: string): string => `${String(code).padStart(3)}${eol}${value}${eol}`;
const written = (groups: readonly (readonly [number, string])[], eol: string) => groups.map(([code, value]) => groupText(code, value, eol)).join('');

/** A block point transformed by the insert. */
function place(insert: Pick<InsertContent, 'at' | 'scale' | 'rotation'>, block: BlockContent, point: Point): Point {
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
  const eol = content.text.bytes(index.eol);
  const chunks = parts.flatMap((part) => [typeof part === 'string' ? content.text.bytes(part) : part, eol]);
  const insert = new Uint8Array(chunks.reduce((sum, chunk) => sum + chunk.length, 0));
  let to = 0;
  for (const chunk of chunks) {
    insert.set(chunk, to);
    to += chunk.length;
  }
  return [{ offset: at, length: 0, insert }];
}
