import { SaxesParser, SaxesTagPlain } from 'saxes';
import { FileError } from '../files';
import { ZipEntry, ZipIndex, partName, scanZip, unescapeX, unpackPieces } from '../files/opc';
import { BLANK_CELL, Table, TableCell, TableError, TableSource, tableOf } from './table';

/** Limits against hostile workbooks. */
export interface WorkbookLimits {
  /** Maximum unpacked bytes. */
  readonly bytes: number;
  readonly cells: number;
}

export const WORKBOOK_LIMITS: WorkbookLimits = { bytes: 1024 * 1024 * 1024, cells: 20_000_000 };

/** Maximum compression ratio; repetitive XML reaches about a hundred. */
const RATIO = 400;
/** Maximum characters of shared texts. */
const LONGEST_SHARED = 256 * 1024 * 1024;

const local = (name: string) => (name.includes(':') ? name.slice(name.indexOf(':') + 1) : name);

type Attributes = Readonly<Record<string, string>>;

interface Handlers {
  readonly open?: (name: string, attributes: Attributes) => void;
  readonly close?: (name: string) => void;
  readonly text?: (text: string) => void;
}

/** Attributes by local name. */
function plainNames(attributes: Attributes): Attributes {
  for (const name in attributes) if (name.includes(':')) return Object.fromEntries(Object.entries(attributes).map(([key, value]) => [local(key), value]));
  return attributes;
}

/** Parses XML in pieces with handlers by local name. Only predefined entities are expanded. */
function* scanPieces(pieces: Iterable<Uint8Array>, part: string, on: Handlers): Generator<void> {
  const parser = new SaxesParser();
  parser.on('error', (error) => {
    throw new TableError('xlsx-broken', `The workbook is damaged: ${part} is not well-formed (${error.message.split('\n')[0]}).`);
  });
  parser.on('doctype', () => {
    throw new TableError('xlsx-broken', `The workbook's ${part} declares a document type, which is not allowed in a workbook.`);
  });
  if (on.open) parser.on('opentag', (tag: SaxesTagPlain) => on.open!(local(tag.name), plainNames(tag.attributes)));
  if (on.close) parser.on('closetag', (tag: SaxesTagPlain) => on.close!(local(tag.name)));
  if (on.text) {
    parser.on('text', on.text);
    parser.on('cdata', on.text);
  }
  const decoder = new TextDecoder('utf-8');
  for (const piece of pieces) {
    parser.write(decoder.decode(piece, { stream: true }));
    yield;
  }
  parser.write(decoder.decode()).close();
  yield;
}

function scanXml(pieces: Iterable<Uint8Array>, part: string, on: Handlers): void {
  const steps = scanPieces(pieces, part, on);
  while (!steps.next().done);
}

/** Collects the text of a string item, without phonetic runs. */
class StringItem {
  private text = '';
  private inText = false;
  private phonetic = 0;
  open(name: string): void {
    if (name === 'rPh') this.phonetic++;
    else if (name === 't') this.inText = this.phonetic === 0;
  }
  close(name: string): void {
    if (name === 'rPh') this.phonetic--;
    else if (name === 't') this.inText = false;
  }
  add(text: string): void {
    if (this.inText) this.text += text;
  }
  take(): string {
    const text = unescapeX(this.text);
    this.text = '';
    return text;
  }
}

/** Built-in date formats (ECMA-376 part 1, 18.8.30). */
const isBuiltInDate = (id: number) => (id >= 14 && id <= 22) || (id >= 27 && id <= 36) || (id >= 45 && id <= 47) || (id >= 50 && id <= 58);

/** Whether a custom format shows a date: date letters outside quotes, brackets and escapes. */
const isDateFormat = (code: string) => /[ymdhs]/i.test(code.replace(/"[^"]*"|\[[^\]]*\]|\\.|_.|\*./g, '').replace(/general/gi, ''));

function readDateStyles(pieces: Iterable<Uint8Array>): boolean[] {
  const custom = new Map<number, boolean>();
  const styles: boolean[] = [];
  let inCellFormats = false;
  scanXml(pieces, 'styles', {
    open: (name, a) => {
      if (name === 'numFmt') custom.set(Number(a['numFmtId']), isDateFormat(a['formatCode'] ?? ''));
      else if (name === 'cellXfs') inCellFormats = true;
      else if (name === 'xf' && inCellFormats) {
        const id = Number(a['numFmtId'] ?? 0);
        styles.push(custom.get(id) ?? isBuiltInDate(id));
      }
    },
    close: (name) => {
      if (name === 'cellXfs') inCellFormats = false;
    },
  });
  return styles;
}

/** A serial day number as ISO 8601, with time if any. The 1900 system includes a non-existent 29 February 1900. */
function serialToIso(serial: number, date1904: boolean): string {
  const days = date1904 ? serial + 1462 : serial < 60 ? serial + 1 : serial;
  const at = new Date(Date.UTC(1899, 11, 30) + Math.round(days * 86_400_000));
  if (Number.isNaN(at.getTime())) return String(serial);
  const iso = at.toISOString();
  // Below one, it is a time of day.
  if (serial >= 0 && serial < 1 && !Number.isInteger(serial)) return iso.slice(11, 19);
  return Number.isInteger(serial) ? iso.slice(0, 10) : `${iso.slice(0, 10)}T${iso.slice(11, 19)}`;
}

function columnOf(reference: string): number {
  let column = 0;
  for (const c of reference) {
    const n = c.charCodeAt(0) & 0xdf;
    if (n < 65 || n > 90) break;
    column = column * 26 + n - 64;
  }
  return column - 1;
}

/** Maximum column: XFD. */
const COLUMNS = 16_384;
const ROWS = 1_048_576;

/** An open workbook, read by rows. */
export interface WorkbookSource {
  readonly sheets: readonly TableSource[];
}

/** Converts archive errors to table errors. */
function asTable<T>(work: () => T): T {
  try {
    return work();
  } catch (error) {
    if (error instanceof FileError)
      throw new TableError(
        error.code === 'zip-not' ? 'xlsx-not' : 'xlsx-broken',
        error.code === 'zip-not' ? 'This is not an XLSX workbook.' : `The workbook is damaged: ${error.message}`,
      );
    throw error;
  }
}

function* asTablePieces(zip: ZipIndex, entry: ZipEntry): Generator<Uint8Array> {
  const pieces = unpackPieces(zip, entry);
  for (;;) {
    const next = asTable(() => pieces.next());
    if (next.done) return;
    yield next.value;
  }
}

/**
 * Opens an XLSX workbook; rows are unpacked on demand.
 * @throws TableError `xlsx-not`, `xlsx-broken`, `xlsx-too-large`
 */
export function openWorkbook(bytes: Uint8Array, limits: WorkbookLimits = WORKBOOK_LIMITS): WorkbookSource {
  if (bytes[0] !== 0x50 || bytes[1] !== 0x4b) throw new TableError('xlsx-not', 'This is not an XLSX workbook.');
  const zip = asTable(() => scanZip(bytes));
  let total = 0;
  const measured = new Set<string>();
  /** Checks the size before unpacking. */
  const measure = (name: string) => {
    const entry = zip.entries.get(name);
    if (!entry || measured.has(name)) return;
    measured.add(name);
    total += entry.size;
    if (total > limits.bytes || entry.size > Math.max(1 << 20, entry.packed * RATIO))
      throw new TableError('xlsx-too-large', `The workbook unpacks to more than Rule reads (${entry.name}).`);
  };
  const pieces = (name: string): Iterable<Uint8Array> => {
    const entry = zip.entries.get(name);
    return entry ? asTablePieces(zip, entry) : [];
  };
  /** Missing parts are empty. */
  const scan = (name: string, part: string, on: Handlers) => {
    measure(name);
    if (zip.entries.has(name)) scanXml(pieces(name), part, on);
  };
  /** Relationships of a part: targets by id and type. */
  const relations = (of: string): { readonly byId: ReadonlyMap<string, string>; readonly byKind: (kind: RegExp) => string | null } => {
    const slash = of.lastIndexOf('/') + 1;
    const list: { id: string; kind: string; part: string }[] = [];
    scan(partName(zip, `/${of.slice(0, slash)}_rels/${of.slice(slash)}.rels`), `the relationships of ${of || 'the workbook'}`, {
      open: (name, a) => {
        if (name === 'Relationship' && a['TargetMode'] !== 'External')
          list.push({ id: a['Id'] ?? '', kind: a['Type'] ?? '', part: partName(zip, a['Target'] ?? '', of) });
      },
    });
    return { byId: new Map(list.map(({ id, part }) => [id, part])), byKind: (kind) => list.find((entry) => kind.test(entry.kind))?.part ?? null };
  };
  const book = relations('').byKind(/\/officeDocument$/i) ?? partName(zip, 'xl/workbook.xml');
  if (!zip.entries.has(book)) throw new TableError('xlsx-not', 'This is not an XLSX workbook: it has no workbook part.');
  const parts = relations(book);

  let date1904 = false;
  const sheets: { name: string; rel: string }[] = [];
  scan(book, 'workbook.xml', {
    open: (name, a) => {
      if (name === 'workbookPr') date1904 = a['date1904'] === '1' || a['date1904'] === 'true';
      if (name === 'sheet') sheets.push({ name: a['name'] ?? '', rel: a['id'] ?? '' });
    },
  });
  const shared: string[] = [];
  let characters = 0;
  const item = new StringItem();
  scan(parts.byKind(/\/sharedStrings$/i) ?? partName(zip, 'sharedStrings.xml', book), 'sharedStrings.xml', {
    open: (name) => item.open(name),
    close: (name) => {
      item.close(name);
      if (name !== 'si') return;
      const text = item.take();
      characters += text.length;
      if (characters > LONGEST_SHARED) throw new TableError('xlsx-too-large', 'The workbook unpacks to more than Rule reads (its texts).');
      shared.push(text);
    },
    text: (text) => item.add(text),
  });
  const styles = parts.byKind(/\/styles$/i) ?? partName(zip, 'styles.xml', book);
  measure(styles);
  const dateStyles = zip.entries.has(styles) ? readDateStyles(pieces(styles)) : [];
  let cells = 0;
  return {
    sheets: sheets.flatMap(({ name, rel }): TableSource[] => {
      const part = parts.byId.get(rel) ?? '';
      if (!zip.entries.has(part)) return [];
      measure(part);
      return [
        {
          sheet: name,
          note: null,
          rows: () => {
            cells = 0;
            const count = (n: number) => {
              cells += n;
              if (cells > limits.cells) throw new TableError('xlsx-too-large', `The workbook has more than ${limits.cells} cells.`);
            };
            const read = () => sheetRows(pieces(part), name, shared, dateStyles, date1904, count);
            return rowsRise(pieces(part)) ? inOrder(read()) : sorted(read());
          },
        },
      ];
    }),
  };
}

/**
 * Reads all sheets into memory.
 * @throws TableError `xlsx-not`, `xlsx-broken`, `xlsx-too-large`
 */
export const readWorkbook = (bytes: Uint8Array, limits?: WorkbookLimits): Table[] => openWorkbook(bytes, limits).sheets.map(tableOf);

/** Whether rows are sorted, as usual. Scans the text without parsing. */
function rowsRise(pieces: Iterable<Uint8Array>): boolean {
  const decoder = new TextDecoder('latin1');
  const number = /<(?:\w+:)?row\s(?:[^<>]*?\s)?r="(\d+)"/g;
  let left = '';
  let last = 0;
  for (const piece of pieces) {
    const text = left + decoder.decode(piece);
    // A tag may span pieces.
    const cut = text.lastIndexOf('<');
    left = text.slice(Math.max(0, cut), cut + 4096);
    for (const match of (cut < 0 ? text : text.slice(0, cut)).matchAll(number)) {
      const n = Number(match[1]);
      if (n <= last) return false;
      last = n;
    }
  }
  return true;
}

interface NumberedRow {
  readonly at: number;
  readonly cells: TableCell[];
}

function* inOrder(rows: Iterable<NumberedRow>): Generator<TableCell[]> {
  let next = 0;
  for (const { at, cells } of rows) {
    for (; next < at; next++) yield [];
    next = at + 1;
    yield cells;
  }
}

/** Unsorted rows, collected in memory within the limits. */
function* sorted(rows: Iterable<NumberedRow>): Generator<TableCell[]> {
  const byNumber = new Map<number, TableCell[]>();
  for (const { at, cells } of rows) {
    const known = byNumber.get(at);
    if (!known) byNumber.set(at, cells);
    else
      for (const [i, cell] of cells.entries()) {
        while (known.length < i) known.push(BLANK_CELL);
        if (cell.is !== 'blank') known[i] = cell;
        else known[i] ??= cell;
      }
  }
  yield* inOrder([...byNumber].sort((a, b) => a[0] - b[0]).map(([at, cells]) => ({ at, cells })));
}

function* sheetRows(
  pieces: Iterable<Uint8Array>,
  sheet: string,
  shared: readonly string[],
  dateStyles: readonly boolean[],
  date1904: boolean,
  count: (n: number) => void,
): Generator<NumberedRow> {
  const ready: NumberedRow[] = [];
  let row: TableCell[] = [];
  let rowNumber = -1;
  let column = -1;
  let type = '';
  let style = 0;
  let value = '';
  let inValue = false;
  let hasValue = false;
  let formula = false;
  const inline = new StringItem();

  const cell = (): TableCell => {
    const mark = formula ? { formula: true as const } : {};
    // A formula without a computed result.
    if (formula && !hasValue && type !== 'inlineStr') return { text: '', is: 'unreadable', formula: true };
    switch (type) {
      case 's': {
        const text = /^\s*\d+\s*$/.test(value) ? shared[Number(value)] : undefined;
        return text === undefined ? { text: '', is: 'unreadable', ...mark } : { text, is: 'text', ...mark };
      }
      case 'inlineStr':
        return { text: inline.take(), is: 'text', ...mark };
      case 'str':
        return { text: unescapeX(value), is: 'text', ...mark };
      case 'b':
        return { text: value.trim() === '1' ? 'yes' : 'no', is: 'boolean', ...mark };
      case 'e':
        return { text: value, is: 'error', ...mark };
      case 'd':
        return { text: value.replace(/T00:00:00(\.0+)?Z?$/, ''), is: 'date', ...mark };
      default: {
        if (value === '') return BLANK_CELL;
        const n = Number(value);
        if (dateStyles[style] && Number.isFinite(n)) return { text: serialToIso(n, date1904), is: 'date', ...mark };
        return { text: Number.isFinite(n) ? String(n) : value, is: 'number', ...mark };
      }
    }
  };

  const steps = scanPieces(pieces, `sheet ${sheet}`, {
    open: (name, a) => {
      if (name === 'row') {
        rowNumber = a['r'] ? Number(a['r']) - 1 : rowNumber + 1;
        if (!(rowNumber >= 0 && rowNumber < ROWS)) throw new TableError('xlsx-broken', `Sheet ${sheet}: there is no row ${a['r']}.`);
        row = [];
        column = -1;
      } else if (name === 'c') {
        column = a['r'] ? columnOf(a['r']) : column + 1;
        if (column < 0 || column >= COLUMNS) throw new TableError('xlsx-broken', `Sheet ${sheet}, row ${rowNumber + 1}: ${a['r']} is not a cell.`);
        type = a['t'] ?? 'n';
        style = Number(a['s'] ?? 0);
        value = '';
        formula = false;
        hasValue = false;
      } else if (name === 'v') inValue = hasValue = true;
      else if (name === 'f') formula = true;
      else if (type === 'inlineStr') inline.open(name);
    },
    close: (name) => {
      if (name === 'v') inValue = false;
      else if (name === 'row') ready.push({ at: rowNumber, cells: row });
      else if (name === 'c') {
        count(1 + Math.max(0, column - row.length));
        while (row.length < column) row.push(BLANK_CELL);
        row[column] = cell();
        type = '';
      } else if (type === 'inlineStr') inline.close(name);
    },
    text: (text) => {
      if (inValue) value += text;
      else if (type === 'inlineStr') inline.add(text);
    },
  });
  while (!steps.next().done) yield* ready.splice(0);
}
