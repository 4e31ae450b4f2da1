import { SendBom } from '@rule/contract';
import { BomColumn } from '@rule/core/bom';
import { SheetForm, WorkbookWriter, WrittenCell, writeCsv } from '@rule/core/exchange';

/** A cell of an exported list. */
export interface OutCell {
  readonly text: string;
  readonly number?: number;
}

/** A line of an exported list. */
export interface OutLine {
  readonly cells: readonly OutCell[];
  readonly level: number;
  readonly look: 'row' | 'group' | 'total';
  /** The part whose picture is shown. */
  readonly file: number | null;
}

/** A list ready for export: header, rows, group headings and totals. */
export interface OutBom {
  readonly name: string;
  readonly title: string;
  readonly headers: readonly string[];
  readonly columns: readonly Pick<BomColumn, 'width'>[];
  readonly lines: readonly OutLine[];
  /** The picture column; -1 if there is none. */
  readonly pictureColumn: number;
  readonly pictures: ReadonlyMap<number, Uint8Array>;
}

/** Pixels per character in a spreadsheet's default font (common practice). */
const CHARACTER = 7;
/** Pictures in cells, in pixels; a row is as high in points, at 96 pixels and 72 points to the inch. */
const PICTURE = { width: 80, height: 60 };
const ROW_POINTS = 48;
/** The deepest outline level that a workbook has (ECMA-376 part 1, 18.3.1.73: 0 to 7). */
const DEEPEST_OUTLINE = 7;

/** A list as CSV. Blanks stay blank; levels show in the item number. */
const csvOf = ({ headers, lines }: OutBom): Uint8Array =>
  new TextEncoder().encode(writeCsv([[...headers], ...lines.map((line) => line.cells.map((cell) => cell.text))]));

/** A list as a workbook with widths, pictures and outline levels. */
function workbookOf({ title, headers, columns, lines, pictureColumn, pictures }: OutBom): Uint8Array {
  const pieces: Uint8Array[] = [];
  const writer = new WorkbookWriter((piece) => pieces.push(piece));
  const depth = Math.min(DEEPEST_OUTLINE, Math.max(0, ...lines.map((line) => line.level - 1)));
  const widthOf = (i: number) => {
    const own = columns[i]?.width;
    if (own) return Math.max(4, own / CHARACTER);
    if (i === pictureColumn) return PICTURE.width / CHARACTER + 2;
    return Math.min(60, Math.max(8, headers[i]!.length + 2, ...lines.slice(0, 500).map((line) => (line.cells[i]?.text.length ?? 0) + 2)));
  };
  const form: SheetForm = {
    // Characters that a sheet's name may not have (ECMA-376 part 1, 18.2.19), and its longest length, common practice.
    name:
      title
        .replace(/[[\]:*?/\\]/g, ' ')
        .replace(/^'+|'+$/g, '')
        .slice(0, 31)
        .trim() || 'BOM',
    columns: headers.map((header, i) => ({ header, width: widthOf(i), cell: { format: 'General', locked: false, look: 'plain' as const } })),
    frozen: 0,
    filter: lines.every((line) => line.look === 'row'),
    protect: false,
    ...(depth ? { outline: depth } : {}),
  };
  writer.beginSheet(form);
  for (const line of lines) {
    const look = line.look === 'row' ? undefined : ({ format: 'General', locked: false, look: 'header' } as const);
    const cells = line.cells.map(({ text, number }): WrittenCell => ({
      value: number ?? text,
      ...(look ? { look } : number === undefined ? { look: { format: '@', locked: false, look: 'plain' } } : {}),
    }));
    const png = line.file === null || pictureColumn < 0 ? undefined : pictures.get(line.file);
    writer.addRow(cells, {
      ...(line.level > 1 ? { outline: Math.min(DEEPEST_OUTLINE, line.level - 1) } : {}),
      ...(png ? { height: ROW_POINTS, picture: { column: pictureColumn, png, ...PICTURE } } : {}),
    });
  }
  writer.endSheet();
  writer.end();
  return Buffer.concat(pieces);
}

/** A list as the bytes of a table, with its file name. */
export function tableOf(bom: OutBom, format: SendBom['format']): { readonly name: string; readonly bytes: Uint8Array } {
  return { name: `${bom.name}.${format}`, bytes: format === 'csv' ? csvOf(bom) : workbookOf(bom) };
}
