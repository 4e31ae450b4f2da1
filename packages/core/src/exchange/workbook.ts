import { UnzipFileInfo, unzipSync } from 'fflate';
import { SaxesParser } from 'saxes';
import { Table, TableCell, TableError } from './table';

/** Limits that keep a hostile workbook from filling memory. */
export interface WorkbookLimits {
  /** Unpacked bytes of all parts that are read. */
  readonly bytes: number;
  readonly cells: number;
}

export const WORKBOOK_LIMITS: WorkbookLimits = { bytes: 400 * 1024 * 1024, cells: 5_000_000 };

/** How much more a part may unpack to than it takes packed; XML of repeated cells reaches about a hundred. */
const RATIO = 400;

const local = (name: string) => name.slice(name.indexOf(':') + 1);

type Attributes = Readonly<Record<string, string>>;

/** Runs an XML part through handlers by local name. No entity but the predefined ones is expanded. */
function scanXml(
  bytes: Uint8Array | undefined,
  part: string,
  on: { open?: (name: string, attributes: Attributes) => void; close?: (name: string) => void; text?: (text: string) => void },
): void {
  if (!bytes) return;
  const parser = new SaxesParser();
  parser.on('error', (error) => {
    throw new TableError('xlsx-broken', `The workbook is damaged: ${part} is not well-formed (${error.message.split('\n')[0]}).`);
  });
  parser.on('doctype', () => {
    throw new TableError('xlsx-broken', `The workbook's ${part} declares a document type, which no workbook does.`);
  });
  if (on.open) parser.on('opentag', (tag) => on.open!(local(tag.name), Object.fromEntries(Object.entries(tag.attributes).map(([k, v]) => [local(k), v]))));
  if (on.close) parser.on('closetag', (tag) => on.close!(local(tag.name)));
  if (on.text) {
    parser.on('text', on.text);
    parser.on('cdata', on.text);
  }
  const decoder = new TextDecoder('utf-8');
  for (let from = 0; from < bytes.length; from += 1 << 16) parser.write(decoder.decode(bytes.subarray(from, from + (1 << 16)), { stream: true }));
  parser.write(decoder.decode()).close();
}

/** `_x000D_` and the like stand for characters that XML cannot hold (ECMA-376 part 1, ST_Xstring). */
const unescapeX = (text: string) =>
  text.includes('_x') ? text.replace(/_x([0-9A-Fa-f]{4})_/g, (_, hex: string) => String.fromCharCode(parseInt(hex, 16))) : text;

/** Collects the text of a string item: its `t` elements without phonetic runs. */
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

/** Built-in number formats that show dates or times (ECMA-376 part 1, 18.8.30). */
const isBuiltInDate = (id: number) => (id >= 14 && id <= 22) || (id >= 27 && id <= 36) || (id >= 45 && id <= 47) || (id >= 50 && id <= 58);

/** Whether a custom number format shows a date: date letters outside quotes, brackets and escapes. */
const isDateFormat = (code: string) => /[ymdhs]/i.test(code.replace(/"[^"]*"|\[[^\]]*\]|\\.|_.|\*./g, '').replace(/general/gi, ''));

function readDateStyles(bytes: Uint8Array | undefined): boolean[] {
  const custom = new Map<number, boolean>();
  const styles: boolean[] = [];
  let inCellFormats = false;
  scanXml(bytes, 'styles', {
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

/** A serial day number as ISO 8601, with the time when there is one. The 1900 system counts a 29 February 1900 that never was. */
function serialToIso(serial: number, date1904: boolean): string {
  const days = date1904 ? serial + 1462 : serial < 60 ? serial + 1 : serial;
  const at = new Date(Date.UTC(1899, 11, 30) + Math.round(days * 86_400_000));
  if (Number.isNaN(at.getTime())) return String(serial);
  const iso = at.toISOString();
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

/** Widest sheet that workbooks can have: column XFD. */
const COLUMNS = 16_384;
const ROWS = 1_048_576;

const BLANK: TableCell = { text: '', is: 'blank' };

/** Reads the sheets of an XLSX workbook. @throws TableError `xlsx-not`, `xlsx-broken`, `xlsx-too-large` */
export function readWorkbook(bytes: Uint8Array, limits: WorkbookLimits = WORKBOOK_LIMITS): Table[] {
  if (bytes[0] !== 0x50 || bytes[1] !== 0x4b) throw new TableError('xlsx-not', 'This is not an XLSX workbook.');
  let total = 0;
  const wanted = (file: UnzipFileInfo) => {
    if (!/^(xl\/|\[Content_Types\])/.test(file.name) || !/\.(xml|rels)$/.test(file.name)) return false;
    total += file.originalSize;
    if (total > limits.bytes || file.originalSize > Math.max(1 << 20, file.size * RATIO))
      throw new TableError('xlsx-too-large', `The workbook unpacks to more than Rule reads (${file.name}).`);
    return true;
  };
  let parts: Record<string, Uint8Array>;
  try {
    parts = unzipSync(bytes, { filter: wanted });
  } catch (error) {
    if (error instanceof TableError) throw error;
    throw new TableError('xlsx-broken', 'The workbook is damaged: it cannot be unpacked.');
  }
  if (!parts['xl/workbook.xml']) throw new TableError('xlsx-not', 'This is not an XLSX workbook: it has no xl/workbook.xml.');

  let date1904 = false;
  const sheets: { name: string; rel: string }[] = [];
  scanXml(parts['xl/workbook.xml'], 'workbook.xml', {
    open: (name, a) => {
      if (name === 'workbookPr') date1904 = a['date1904'] === '1' || a['date1904'] === 'true';
      if (name === 'sheet') sheets.push({ name: a['name'] ?? '', rel: a['id'] ?? '' });
    },
  });
  const targets = new Map<string, string>();
  scanXml(parts['xl/_rels/workbook.xml.rels'], 'workbook.xml.rels', {
    open: (name, a) => {
      if (name === 'Relationship') targets.set(a['Id'] ?? '', a['Target'] ?? '');
    },
  });
  const shared: string[] = [];
  const item = new StringItem();
  scanXml(parts['xl/sharedStrings.xml'], 'sharedStrings.xml', {
    open: (name) => item.open(name),
    close: (name) => {
      item.close(name);
      if (name === 'si') shared.push(item.take());
    },
    text: (text) => item.add(text),
  });
  const dateStyles = readDateStyles(parts['xl/styles.xml']);
  let cells = 0;
  return sheets.flatMap(({ name, rel }) => {
    const target = targets.get(rel) ?? '';
    const part = parts[target.startsWith('/') ? target.slice(1) : `xl/${target}`];
    if (!part) return [];
    const rows = readSheet(part, name, shared, dateStyles, date1904, (n) => {
      cells += n;
      if (cells > limits.cells) throw new TableError('xlsx-too-large', `The workbook has more than ${limits.cells} cells.`);
    });
    return [{ sheet: name, rows, note: null }];
  });
}

function readSheet(
  bytes: Uint8Array,
  sheet: string,
  shared: readonly string[],
  dateStyles: readonly boolean[],
  date1904: boolean,
  count: (n: number) => void,
): TableCell[][] {
  const rows: TableCell[][] = [];
  let row: TableCell[] = [];
  let rowNumber = -1;
  let column = -1;
  let type = '';
  let style = 0;
  let value = '';
  let inValue = false;
  let formula = false;
  const inline = new StringItem();

  const cell = (): TableCell => {
    const mark = formula ? { formula: true as const } : {};
    switch (type) {
      case 's':
        return { text: shared[Number(value)] ?? '', is: 'text', ...mark };
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
        if (value === '') return BLANK;
        const n = Number(value);
        if (dateStyles[style] && Number.isFinite(n)) return { text: serialToIso(n, date1904), is: 'date', ...mark };
        return { text: Number.isFinite(n) ? String(n) : value, is: 'number', ...mark };
      }
    }
  };

  scanXml(bytes, `sheet ${sheet}`, {
    open: (name, a) => {
      if (name === 'row') {
        rowNumber = a['r'] ? Number(a['r']) - 1 : rowNumber + 1;
        if (!(rowNumber >= rows.length && rowNumber < ROWS)) throw new TableError('xlsx-broken', `Sheet ${sheet}: row ${a['r']} is out of order.`);
        while (rows.length < rowNumber) rows.push([]);
        row = [];
        rows.push(row);
        column = -1;
      } else if (name === 'c') {
        column = a['r'] ? columnOf(a['r']) : column + 1;
        if (column < 0 || column >= COLUMNS) throw new TableError('xlsx-broken', `Sheet ${sheet}, row ${rowNumber + 1}: ${a['r']} is no cell.`);
        type = a['t'] ?? 'n';
        style = Number(a['s'] ?? 0);
        value = '';
        formula = false;
      } else if (name === 'v') inValue = true;
      else if (name === 'f') formula = true;
      else if (type === 'inlineStr') inline.open(name);
    },
    close: (name) => {
      if (name === 'v') inValue = false;
      else if (name === 'c') {
        count(1 + Math.max(0, column - row.length));
        while (row.length < column) row.push(BLANK);
        row[column] = cell();
        type = '';
      } else if (type === 'inlineStr') inline.close(name);
    },
    text: (text) => {
      if (inValue) value += text;
      else if (type === 'inlineStr') inline.add(text);
    },
  });
  while (rows.length && rows.at(-1)!.every((c) => c.text === '')) rows.pop();
  return rows;
}
