import { FileChange, FileError } from '../contract';
import { Edit } from '../edits';
import { DxfContent, openDxf } from './read';

const encoder = new TextEncoder();

/** The edits that make a DXF file hold the given values. @throws FileError */
export function modifyDxf(bytes: Uint8Array, changes: readonly FileChange[]): Edit[] {
  const content = openDxf(bytes);
  const seen = new Set<string>();
  return changes.flatMap((change) => {
    const place = JSON.stringify([change.holder, change.place, change.name]);
    if (seen.has(place)) throw new FileError('change-twice', `${change.name} is changed twice in one go.`);
    seen.add(place);
    switch (change.place) {
      case 'cell':
        return cellEdits(content, change);
      case 'field': {
        const field = content.fields.find((f) => f.name === change.name);
        if (!field) throw new FileError('no-field', `The file has no field ${change.name}.`);
        return [valueEdit(content, field.valueAt, change.value?.text ?? '')];
      }
      case 'property':
        return propertyEdits(content, change);
    }
  });
}

const encoded = (content: DxfContent, text: string): Uint8Array => encoder.encode(content.text.encode(text));

function valueEdit(content: DxfContent, at: number, text: string): Edit {
  const { starts, ends } = content.index;
  return { offset: starts[at]!, length: ends[at]! - starts[at]!, insert: encoded(content, text) };
}

function cellEdits(content: DxfContent, change: FileChange): Edit[] {
  const insert = content.inserts.find((candidate) => candidate.holder === change.holder);
  if (!insert) throw new FileError('no-holder', `The drawing has no title block ${change.holder}.`);
  const cell = insert.cells.find((candidate) => candidate.tag === change.name);
  if (!cell) throw new FileError('no-cell', `This drawing's ${insert.block} lacks the cell ${change.name}, which its block has gained later.`);
  return [valueEdit(content, cell.valueAt, change.value?.text ?? '')];
}

function propertyEdits(content: DxfContent, change: FileChange): Edit[] {
  if (change.holder !== '') throw new FileError('no-holder', 'A drawing holds properties for the document only.');
  const { index, properties, version } = content;
  const existing = properties.find((property) => property.name === change.name);
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
