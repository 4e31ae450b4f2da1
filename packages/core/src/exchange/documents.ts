import { SaxesParser, SaxesTagPlain } from 'saxes';
import { FILE_HEADER, HOLDER_HEADER, IDENTITY_HEADER } from './columns';
import { BLANK_CELL, TableCell, TableError, TableSource } from './table';
import { escapeMarkup, escapeX, unescapeX } from '../files/opc';

/** Header of a JSON or XML table. */
export interface DocumentHead {
  readonly sendOut: number;
  readonly edition: number;
  readonly at: string;
  readonly columns: readonly {
    readonly name: string;
    readonly caption: string;
    readonly type: string;
    readonly unit: string | null;
    readonly editable: boolean;
  }[];
}

/** A row of a JSON or XML table: subject and values. */
export interface DocumentRow {
  readonly identity: string;
  readonly file: string;
  readonly holder: string | null;
  readonly values: readonly (string | number | boolean | null)[];
  /** Read-only values by header, ignored when the document comes back. */
  readonly reading?: Readonly<Record<string, string | number>>;
}

/** Writes a JSON table in pieces. */
export const jsonDocument = {
  begin: ({ sendOut, edition, at, columns }: DocumentHead): string =>
    `{\n"sendOut": ${sendOut},\n"edition": ${edition},\n"at": ${JSON.stringify(at)},\n"columns": ${JSON.stringify(columns)},\n"rows": [`,
  row: ({ columns }: DocumentHead, { identity, file, holder, values, reading }: DocumentRow, first: boolean): string =>
    `${first ? '\n' : ',\n'}${JSON.stringify({
      identity,
      file,
      ...(holder === null ? {} : { holder }),
      values: Object.fromEntries(columns.map(({ name }, i) => [name, values[i] ?? null])),
      ...(reading && Object.keys(reading).length ? { reading } : {}),
    })}`,
  end: (): string => '\n]\n}\n',
};

const attribute = (text: string) => escapeMarkup(escapeX(text)).replace(/[\t\n]/g, (c) => (c === '\t' ? '&#9;' : '&#10;'));

/** Writes an XML table in pieces. Characters not allowed in XML become `_xHHHH_`, as in workbooks. */
export const xmlDocument = {
  begin: ({ sendOut, edition, at, columns }: DocumentHead): string =>
    `<?xml version="1.0" encoding="UTF-8"?>\n<table send-out="${sendOut}" edition="${edition}" at="${attribute(at)}">\n${columns
      .map(
        ({ name, caption, type, unit, editable }) =>
          `<column name="${attribute(name)}" caption="${attribute(caption)}" type="${type}"${unit === null ? '' : ` unit="${attribute(unit)}"`} editable="${editable ? 'yes' : 'no'}"/>\n`,
      )
      .join('')}`,
  row: ({ columns }: DocumentHead, { identity, file, holder, values, reading = {} }: DocumentRow): string =>
    `<row identity="${attribute(identity)}" file="${attribute(file)}"${holder === null ? '' : ` holder="${attribute(holder)}"`}>${columns
      .map(({ name }, i) => {
        const value = values[i] ?? null;
        return value === null ? `<value name="${attribute(name)}"/>` : `<value name="${attribute(name)}">${escapeMarkup(escapeX(String(value)))}</value>`;
      })
      .join('')}${Object.entries(reading)
      .map(([name, value]) => `<reading name="${attribute(name)}">${escapeMarkup(escapeX(String(value)))}</reading>`)
      .join('')}</row>\n`,
  end: (): string => '</table>\n',
};

const cellOf = (value: unknown): TableCell => {
  if (value === null || value === undefined || value === '') return BLANK_CELL;
  if (typeof value === 'number') return { text: String(value), is: 'number' };
  if (typeof value === 'boolean') return { text: value ? 'yes' : 'no', is: 'boolean' };
  return { text: typeof value === 'string' ? value : JSON.stringify(value), is: 'text' };
};

const textCell = (text: string): TableCell => (text === '' ? BLANK_CELL : { text, is: 'text' });

const isObject = (value: unknown): value is Readonly<Record<string, unknown>> => typeof value === 'object' && value !== null && !Array.isArray(value);

/**
 * Opens a JSON table as written by {@link jsonDocument}, or a plain list of objects.
 * @throws TableError `json-not`
 */
export function jsonSource(text: string): TableSource {
  let json: unknown;
  try {
    json = JSON.parse(text);
  } catch (error) {
    throw new TableError('json-not', `This is not JSON: ${error instanceof Error ? error.message : String(error)}.`);
  }
  const list = Array.isArray(json) ? json : isObject(json) ? json['rows'] : undefined;
  if (!Array.isArray(list) || !list.every(isObject)) throw new TableError('json-not', 'This JSON contains no list of rows.');
  const own = isObject(json) && Array.isArray(json['columns']);
  const rowsOf = own
    ? list.map((row) => ({ front: [row['identity'], row['file'], row['holder']], values: isObject(row['values']) ? row['values'] : {} }))
    : list.map((row) => ({ front: null, values: row }));
  const holders = own && list.some((row) => 'holder' in row);
  const names = new Set(own ? (json as { columns: unknown[] }).columns.filter(isObject).map((column) => String(column['name'])) : []);
  for (const { values } of rowsOf) for (const name of Object.keys(values)) names.add(name);
  const columns = [...names];
  const front = own ? [IDENTITY_HEADER, FILE_HEADER, ...(holders ? [HOLDER_HEADER] : [])] : [];
  return {
    sheet: null,
    note: null,
    *rows() {
      yield [...front, ...columns].map(textCell);
      for (const row of rowsOf) yield [...(row.front ?? []).slice(0, front.length).map(cellOf), ...columns.map((name) => cellOf(row.values[name]))];
    },
  };
}

interface XmlRow {
  readonly front: readonly string[];
  readonly values: ReadonlyMap<string, string>;
}

/**
 * Opens an XML table as written by {@link xmlDocument}.
 * @throws TableError `xml-not`
 */
export function xmlSource(text: string): TableSource {
  const rows: XmlRow[] = [];
  const names = new Set<string>();
  let holders = false;
  let row: { front: string[]; values: Map<string, string> } | null = null;
  let value: { name: string; text: string } | null = null;
  let isTable = false;
  const parser = new SaxesParser();
  const broken = (message: string) => new TableError('xml-not', `This XML cannot be read: ${message}.`);
  parser.on('error', (error) => {
    throw broken(error.message.split('\n')[0]!);
  });
  parser.on('doctype', () => {
    throw broken('it declares a document type');
  });
  parser.on('opentag', (tag: SaxesTagPlain) => {
    const { name } = tag;
    const of = (key: string) => unescapeX(tag.attributes[key] ?? '');
    if (name === 'table') isTable = true;
    else if (!isTable) throw broken(`it starts with ${name} instead of a table`);
    else if (name === 'column') names.add(of('name'));
    else if (name === 'row') {
      holders ||= 'holder' in tag.attributes;
      row = { front: [of('identity'), of('file'), of('holder')], values: new Map() };
    } else if (name === 'value' && row) value = { name: of('name'), text: '' };
    else if (name !== 'reading' || !row) throw broken(`it contains an element ${name}`);
  });
  parser.on('text', (piece) => {
    if (value) value.text += piece;
  });
  parser.on('cdata', (piece) => {
    if (value) value.text += piece;
  });
  parser.on('closetag', ({ name }) => {
    if (name === 'value' && value && row) {
      names.add(value.name);
      row.values.set(value.name, unescapeX(value.text));
      value = null;
    } else if (name === 'row' && row) {
      rows.push(row);
      row = null;
    }
  });
  parser.write(text).close();
  const columns = [...names];
  const front = [IDENTITY_HEADER, FILE_HEADER, ...(holders ? [HOLDER_HEADER] : [])];
  return {
    sheet: null,
    note: null,
    *rows() {
      yield [...front, ...columns].map(textCell);
      for (const { front: own, values } of rows)
        yield [...own.slice(0, front.length).map(textCell), ...columns.map((name) => textCell(values.get(name) ?? ''))];
    },
  };
}
