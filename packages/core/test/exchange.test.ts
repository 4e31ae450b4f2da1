import { describe, expect, it } from '@jest/globals';
import * as sheetjs from '@e965/xlsx';
import fc from 'fast-check';
import { strFromU8, strToU8, unzipSync, zipSync } from 'fflate';
import {
  Comparison,
  FILE_HEADER,
  FoundRow,
  IDENTITY_HEADER,
  KnownFile,
  LostRow,
  Table,
  TableCell,
  TableError,
  TakeBackCell,
  TakeBackContext,
  TakeBackCounts,
  TakeBackIssue,
  WorkbookWriter,
  cellText,
  cellValue,
  csvSource,
  decodeText,
  escapeX,
  headerRowOf,
  identityMark,
  jsonDocument,
  jsonSource,
  matchByValues,
  matchColumns,
  neutralise,
  numberFormat,
  openWorkbook,
  planSheet,
  readCsv,
  readIdentityMark,
  readWorkbook,
  restore,
  shapeOf,
  sourceOf,
  spoiled,
  unescapeX,
  withoutMark,
  writeCsv,
  xmlDocument,
  xmlSource,
} from '../src/exchange';
import { Property, newDraft } from '../src/schema';
import { HeldValue, ValueType, compileStandIns, heldText, holdValue, plainNumber } from '../src/values';

const texts = (table: Table) => table.rows.map((row) => row.map((cell) => cell.text));
const code = (work: () => unknown) => {
  try {
    work();
    return 'read';
  } catch (error) {
    if (!(error instanceof TableError)) throw error;
    return error.code;
  }
};

describe('CSV', () => {
  it('is written as RFC 4180 asks: CRLF, quotes doubled, fields with delimiters quoted', () => {
    expect(writeCsv([['a', 'b "c"', 'd,e', 'f\ng']])).toBe('\ufeffa,"b ""c""","d,e","f\ng"\r\n');
  });
  it('neutralises formulas and restores them', () => {
    expect(neutralise('=1+1')).toBe("'=1+1");
    expect(neutralise('-12.5')).toBe('-12.5');
    expect(neutralise("'quoted")).toBe("''quoted");
    fc.assert(fc.property(fc.string(), (s) => expect(restore(neutralise(s))).toBe(s)));
  });
  it('comes back as it went', () => {
    const cell = fc.string({ unit: 'grapheme' }).filter((s) => !/[\0\ufeff]/.test(s) && !s.includes('\r'));
    fc.assert(
      fc.property(fc.array(fc.tuple(cell, cell, cell), { minLength: 1, maxLength: 6 }), fc.constantFrom(',', ';', '\t'), (rows, delimiter) => {
        // A header keeps the last rows from being taken for empty.
        const all = [['File', 'A', 'B'], ...rows.map((row) => [`x${row[0]}`, row[1], row[2]])];
        expect(texts(readCsv(new TextEncoder().encode(writeCsv(all, delimiter))))).toEqual(all);
      }),
    );
  });
  it.each([
    ['utf-8', Buffer.from('\ufeffGröße;Ω', 'utf8'), 'Größe;Ω'],
    ['utf-16le', Buffer.from('\ufeffGröße', 'utf16le'), 'Größe'],
    ['utf-16le', Buffer.from('Gr', 'utf16le'), 'Gr'],
    ['windows-1252', Buffer.from([0x47, 0x72, 0xf6, 0xdf, 0x65, 0x20, 0x80]), 'Größe €'],
  ])('is decoded from %s', (encoding, bytes, text) => expect(decodeText(new Uint8Array(bytes))).toEqual({ encoding, text }));
  it('in Windows-1252 with semicolons is read, and says so', () => {
    const table = readCsv(new Uint8Array(Buffer.from('File;Größe\r\na.step;5" Rohr\r\n', 'latin1')));
    expect(texts(table)).toEqual([
      ['File', 'Größe'],
      ['a.step', '5" Rohr'],
    ]);
    expect(table.note).toBe('read as windows-1252');
  });
  it.each([
    ['plain cells', (n: number) => [`row ${n}`, `${n}`], '\r\n'],
    ['quoted cells', (n: number) => [`row "${n}"`, `a\n${n}`], '\r\n'],
    ['line feeds alone', (n: number) => [`row ${n}`, `${n}`], '\n'],
    ['carriage returns alone', (n: number) => [`row ${n}`, `${n}`], '\r'],
  ])('of many rows is read to the last one, in however many pieces: %s', (_, row, end) => {
    const rows = [['A', 'B'], ...Array.from({ length: 6123 }, (__, n) => row(n))];
    expect(texts(readCsv(new TextEncoder().encode(writeCsv(rows).replaceAll('\r\n', end))))).toEqual(rows);
  });
  it('whose byte order mark another program took for letters is read without it', () => {
    const rows = (text: string) =>
      [...withoutMark(sourceOf({ sheet: null, note: null, rows: [[{ text, is: 'text' }], [{ text: '\ufeffb', is: 'text' }]] })).rows()].map(
        (row) => row[0]!.text,
      );
    expect([rows('\ufeffFile'), rows('ï»¿File'), rows('File')]).toEqual([
      ['File', '\ufeffb'],
      ['File', '\ufeffb'],
      ['File', '\ufeffb'],
    ]);
  });
  it('with a sep= line is read without it', () =>
    expect(texts(readCsv(strToU8('sep=|\r\na|b\r\n1|2')))).toEqual([
      ['a', 'b'],
      ['1', '2'],
    ]));
  it('whose lines end in several ways loses none of them', () => {
    const mixed = 'File,A\r\none.step,1\ntwo.step,"a\r\nb"\rthree.step,5" pipe\r\n"four ""4"".step",\n';
    expect(texts(readCsv(strToU8(mixed)))).toEqual([
      ['File', 'A'],
      ['one.step', '1'],
      ['two.step', 'a\r\nb'],
      ['three.step', '5" pipe'],
      ['four "4".step', ''],
    ]);
    const field = fc.string({ unit: fc.constantFrom('a', ',', '"', '\n', '\r', ';', ' ') });
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.array(field, { minLength: 2, maxLength: 2 }), fc.constantFrom('\r\n', '\n', '\r')), { minLength: 2, maxLength: 12 }),
        (rows) => {
          const quoted = (text: string) => `"${text.replaceAll('"', '""')}"`;
          const text = rows.map(([cells, end]) => cells.map(quoted).join(',') + end).join('');
          const source = csvSource(strToU8(text), { delimiter: ',' });
          expect([...source.rows()].map((row) => row.map((cell) => cell.text))).toEqual(rows.map(([cells]) => cells.map((cell) => restore(cell))));
        },
      ),
    );
  });
  it('with a bad byte in the midst of UTF-8 asks, and names the line', () => {
    const bad = Buffer.concat([Buffer.from('File,Größe\nä.step,Öl\n'), Buffer.from([0xfc]), Buffer.from('.step,Maß\n')]);
    expect(() => readCsv(new Uint8Array(bad))).toThrow('Line 3 is not valid UTF-8');
    const rows = [...csvSource(new Uint8Array(bad), { encoding: 'utf-8' }).rows()];
    expect(rows[1]!.map((cell) => [cell.text, cell.is])).toEqual([
      ['ä.step', 'text'],
      ['Öl', 'text'],
    ]);
    expect(rows[2]![0]!.is).toBe('unreadable');
    // A file entirely in another encoding is read in it.
    expect(texts(readCsv(new Uint8Array(Buffer.from('Größe,Maß\nÖl,ß', 'latin1'))))).toEqual([
      ['Größe', 'Maß'],
      ['Öl', 'ß'],
    ]);
  });
  it('refuses what is no text or has an open quotation mark', () => {
    expect(code(() => readCsv(new Uint8Array([65, 66, 0, 1, 2, 3])))).toBe('csv-not');
    expect(code(() => readCsv(strToU8('File,A\n"open,1\n')))).toBe('csv-quotes');
  });
});

/** A hand-made workbook. */
function workbook(sheet: string, more: Record<string, string> = {}, date1904 = ''): Uint8Array {
  const parts = {
    'xl/workbook.xml': `<workbook xmlns:r="r"><workbookPr ${date1904}/><sheets><sheet name="S" sheetId="1" r:id="rId1"/></sheets></workbook>`,
    'xl/_rels/workbook.xml.rels': '<Relationships><Relationship Id="rId1" Target="worksheets/sheet1.xml"/></Relationships>',
    'xl/worksheets/sheet1.xml': `<worksheet><sheetData>${sheet}</sheetData></worksheet>`,
    ...more,
  };
  return zipSync(Object.fromEntries(Object.entries(parts).map(([name, text]) => [name, strToU8(text)])));
}

describe('a workbook', () => {
  // Cell types, shared strings, phonetic runs and _xHHHH_ escapes as ECMA-376 part 1, 18.3.1.4 and 22.9.2.19 define them.
  it('is read with every kind of cell', () => {
    const shared =
      '<sst><si><t>plain</t></si><si><r><t>ri</t></r><r><t xml:space="preserve">ch </t></r><rPh sb="0" eb="1"><t>no</t></rPh></si><si><t>a_x000A_b</t></si></sst>';
    const styles =
      '<styleSheet><numFmts><numFmt numFmtId="164" formatCode="yyyy\\-mm\\-dd"/><numFmt numFmtId="165" formatCode="0.00&quot; kg/d&quot;"/></numFmts><cellXfs><xf numFmtId="0"/><xf numFmtId="164"/><xf numFmtId="165"/><xf numFmtId="14"/></cellXfs></styleSheet>';
    const row =
      '<row r="2"><c r="A2" t="s"><v>0</v></c><c r="B2" t="s"><v>1</v></c><c r="D2" t="s"><v>2</v></c><c r="E2"><v>12.5</v></c><c r="F2" s="1"><v>46351</v></c><c r="G2" s="2"><v>2</v></c><c r="H2" t="b"><v>0</v></c><c r="I2" t="e"><v>#N/A</v></c><c r="J2" t="str"><f>A1</f><v></v></c><c r="K2" t="inlineStr"><is><t>in</t><r><t>line</t></r></is></c><c r="L2" s="3"><v>60.5</v></c></row>';
    const [table] = readWorkbook(workbook(row, { 'xl/sharedStrings.xml': shared, 'xl/styles.xml': styles }));
    expect(table!.rows[0]).toEqual([]);
    expect(table!.rows[1]!.map((cell) => [cell.text, cell.is])).toEqual([
      ['plain', 'text'],
      ['rich ', 'text'],
      ['', 'blank'],
      ['a\nb', 'text'],
      ['12.5', 'number'],
      ['2026-11-25', 'date'],
      ['2', 'number'],
      ['no', 'boolean'],
      ['#N/A', 'error'],
      ['', 'text'],
      ['inline', 'text'],
      ['1900-02-28T12:00:00', 'date'],
    ]);
    expect(table!.rows[1]![8]).not.toHaveProperty('formula');
    expect(table!.rows[1]![9]).toMatchObject({ formula: true });
  });
  it('counts days from 1904 where it says so', () => {
    const styles = '<styleSheet><cellXfs><xf numFmtId="14"/></cellXfs></styleSheet>';
    const [table] = readWorkbook(workbook('<row r="1"><c r="A1" s="0"><v>0</v></c></row>', { 'xl/styles.xml': styles }, 'date1904="1"'));
    expect(table!.rows[0]![0]!.text).toBe('1904-01-01');
  });
  it('is read as another program wrote it, and the two agree', () => {
    const cell = fc.oneof(
      fc.string({ unit: 'grapheme-ascii' }).map((s) => s.replace(/[^\x20-\x7e]/g, '')),
      fc.double({ min: -1e6, max: 1e6, noNaN: true }),
      fc.boolean(),
    );
    fc.assert(
      fc.property(fc.array(fc.array(cell, { minLength: 1, maxLength: 5 }), { minLength: 1, maxLength: 8 }), (rows) => {
        const book = sheetjs.utils.book_new();
        sheetjs.utils.book_append_sheet(book, sheetjs.utils.aoa_to_sheet(rows), 'S');
        const [table] = readWorkbook(new Uint8Array(sheetjs.write(book, { type: 'array', bookType: 'xlsx', compression: true }) as ArrayBuffer));
        rows.forEach((row, r) =>
          row.forEach((value, c) => {
            const read = table!.rows[r]?.[c]?.text ?? '';
            if (typeof value === 'number') expect(Number(read)).toBe(value === 0 ? 0 : value);
            else expect(read).toBe(typeof value === 'boolean' ? (value ? 'yes' : 'no') : value);
          }),
        );
      }),
      { numRuns: 40 },
    );
  });
  it('makes a value of no cell that it cannot make out: a text that is not there, a formula that was never computed', () => {
    const shared = '<sst><si><t>first</t></si></sst>';
    const row =
      '<row r="1"><c r="A1" t="s"/><c r="B1" t="s"><v>7</v></c><c r="C1" t="s"><v>0</v></c><c r="D1"><f>1+1</f></c><c r="E1" t="str"><f>A1</f><v></v></c><c r="F1" t="s"><v></v></c></row>';
    const [table] = readWorkbook(workbook(row, { 'xl/sharedStrings.xml': shared }));
    expect(table!.rows[0]!.map((cell) => [cell.text, cell.is, cell.formula ?? false])).toEqual([
      ['', 'unreadable', false],
      ['', 'unreadable', false],
      ['first', 'text', false],
      ['', 'unreadable', true],
      ['', 'text', true],
      ['', 'unreadable', false],
    ]);
    for (const cell of [table!.rows[0]![0]!, table!.rows[0]![3]!])
      expect(spoiled(cell, 'N-1', 'text')).toMatchObject({ code: 'unreadable cell', proven: false });
  });
  it('finds its parts by their relationships, whatever they are called', () => {
    const office = 'http://schemas.openxmlformats.org/officeDocument/2006/relationships';
    const parts = {
      '_rels/.rels': `<Relationships><Relationship Id="r" Type="${office}/officeDocument" Target="/Book/Main.XML"/></Relationships>`,
      'book/main.xml': '<workbook xmlns:r="r"><sheets><sheet name="S" sheetId="1" r:id="a"/></sheets></workbook>',
      'book/_rels/main.xml.rels': `<Relationships><Relationship Id="a" Type="${office}/worksheet" Target="./tables/one.xml"/><Relationship Id="b" Type="${office}/sharedStrings" Target="../texts.xml"/><Relationship Id="c" Type="${office}/styles" Target="looks%20.xml"/></Relationships>`,
      'book/tables/one.xml': '<worksheet><sheetData><row r="1"><c r="A1" t="s"><v>0</v></c><c r="B1" s="0"><v>60.5</v></c></row></sheetData></worksheet>',
      'texts.xml': '<sst><si><t>found</t></si></sst>',
      'book/looks .xml': '<styleSheet><cellXfs><xf numFmtId="14"/></cellXfs></styleSheet>',
    };
    const [table] = readWorkbook(zipSync(Object.fromEntries(Object.entries(parts).map(([name, text]) => [name, strToU8(text)]))));
    expect(texts(table!)).toEqual([['found', '1900-02-28T12:00:00']]);
  });
  it('reads rows in any order, and a time of day without a day', () => {
    const styles = '<styleSheet><cellXfs><xf numFmtId="0"/><xf numFmtId="21"/></cellXfs></styleSheet>';
    const rows = '<row r="5"><c r="A5"><v>5</v></c></row><row r="2"><c r="A2" s="1"><v>0.5</v></c></row><row r="5"><c r="C5"><v>7</v></c></row>';
    const [table] = readWorkbook(workbook(rows, { 'xl/styles.xml': styles }));
    expect(texts(table!)).toEqual([[], ['12:00:00'], [], [], ['5', '', '7']]);
    // A tag split across unpacked pieces is still found.
    const many = Array.from({ length: 20_000 }, (_, i) => `<row spans="1:1" r="${i + 1}"><c r="A${i + 1}"><v>${i}</v></c></row>`);
    const [long] = readWorkbook(workbook([...many.slice(1), many[0]!].join('')));
    expect(long!.rows.map((row) => row[0]!.text)).toEqual(many.map((_, i) => String(i)));
  });
  it('that is none, is damaged or is a bomb is refused', () => {
    expect(code(() => readWorkbook(strToU8('File,Material')))).toBe('xlsx-not');
    expect(code(() => readWorkbook(zipSync({ 'word/document.xml': strToU8('<x/>') })))).toBe('xlsx-not');
    expect(code(() => readWorkbook(workbook('<row r="1"></row>').slice(0, 200)))).toBe('xlsx-broken');
    expect(code(() => readWorkbook(workbook('<row r="1"><c></row>')))).toBe('xlsx-broken');
    expect(code(() => readWorkbook(workbook('<row r="2000000"/>')))).toBe('xlsx-broken');
    expect(code(() => readWorkbook(workbook('<row r="1"/>', { 'xl/styles.xml': '<!DOCTYPE x [<!ENTITY a "b">]><x>&a;</x>' })))).toBe('xlsx-broken');
    const bomb = zipSync({ 'xl/workbook.xml': strToU8('<workbook/>'), 'xl/styles.xml': new Uint8Array(30_000_000) }, { level: 9 });
    expect(bomb.length).toBeLessThan(100_000);
    expect(code(() => readWorkbook(bomb))).toBe('xlsx-too-large');
    expect(code(() => readWorkbook(workbook('<row r="1"><c r="A1"/><c r="XFD1"/></row>'), { bytes: 1e6, cells: 1000 }))).toBe('xlsx-too-large');
  });
});

describe('the texts that XML cannot hold', () => {
  // ECMA-376 part 1, 22.9.2.19 (ST_Xstring).
  it('are written as _xHHHH_, and what looks like it is escaped', () => {
    expect(escapeX('a\rb\u0007')).toBe('a_x000D_b_x0007_');
    expect(escapeX('_x0041_')).toBe('_x005F_x0041_');
    expect(unescapeX('_x005F_x0041_')).toBe('_x0041_');
    fc.assert(fc.property(fc.string({ unit: 'binary' }), (s) => expect(unescapeX(escapeX(s))).toBe(s)));
  });
});

/** Everything a writer wrote. */
function written(write: (writer: WorkbookWriter) => void): Uint8Array {
  const pieces: Uint8Array[] = [];
  const writer = new WorkbookWriter((piece) => pieces.push(piece), { 'Rule send-out': '7' });
  write(writer);
  writer.end();
  return new Uint8Array(Buffer.concat(pieces));
}
const plainColumn = (header: string, format = '@') => ({ header, width: 12, cell: { format, locked: false, look: 'plain' as const } });
const sheetOf = (columns: readonly ReturnType<typeof plainColumn>[]) => ({ name: 'Values', frozen: 1, filter: true, protect: true, columns });
const property = (id: number, writtenName: string, change: Partial<Property> = {}): Property => ({ ...newDraft(writtenName), id, retired: false, ...change });

describe('a workbook that Rule writes', () => {
  it('is read by another library as the same cells, and by Rule itself', () => {
    const bytes = written((writer) => {
      writer.beginSheet(sheetOf([plainColumn('Text'), plainColumn('Number', '0.00" kg"'), plainColumn('Day', 'yyyy-mm-dd')]));
      writer.addRow([{ value: '007' }, { value: 1.5 }, { value: { date: '2026-11-25' } }]);
      writer.addRow([{ value: ' a\n"b" <c> & _x0041_ \u0001' }, { value: null }, { value: { date: '1900-02-01' } }]);
      writer.endSheet();
    });
    const book = sheetjs.read(bytes, { type: 'array', cellNF: true, cellDates: false });
    const sheet = book.Sheets['Values']!;
    expect(['A2', 'B2', 'C2'].map((at) => [(sheet[at] as sheetjs.CellObject).t, (sheet[at] as sheetjs.CellObject).v])).toEqual([
      ['s', '007'],
      ['n', 1.5],
      ['n', 46351],
    ]);
    expect((sheet['B2'] as sheetjs.CellObject).z).toBe('0.00" kg"');
    const [table] = readWorkbook(bytes);
    expect(texts(table!)).toEqual([
      ['Text', 'Number', 'Day'],
      ['007', '1.5', '2026-11-25'],
      [' a\n"b" <c> & _x0041_ \u0001', '', '1900-02-01'],
    ]);
    expect(table!.rows[1]!.map((cell) => cell.is)).toEqual(['text', 'number', 'date']);
  });
  it('holds any text that Unicode allows', () => {
    fc.assert(
      fc.property(fc.array(fc.string({ unit: 'binary', maxLength: 20 }), { minLength: 1, maxLength: 20 }), (list) => {
        const bytes = written((writer) => {
          writer.beginSheet(sheetOf([plainColumn('x'), plainColumn('end')]));
          for (const value of list) writer.addRow([{ value }, { value: '.' }]);
          writer.endSheet();
        });
        expect(texts(readWorkbook(bytes)[0]!).slice(1)).toEqual(list.map((value) => [value, '.']));
      }),
      { numRuns: 60 },
    );
  });
  it('offers choices, also those that go with what stands in another column, hints, marks and protection', () => {
    const lists = new Map([
      [
        'finishes',
        {
          name: 'finishes',
          columns: ['for'],
          goesWith: 'for',
          choices: [
            { value: 'zinc', columns: { for: 'S235JR' }, retired: false, replacedBy: null },
            { value: 'brushed', columns: { for: '1.4301; S235JR' }, retired: false, replacedBy: null },
            { value: 'old', columns: { for: '1.4301' }, retired: true, replacedBy: null },
          ],
        },
      ],
    ]);
    const columns = [
      property(1, 'Material', { type: 'choice', choices: ['S235JR', '1.4301'], required: true, help: 'As bought.' }),
      property(2, 'Finish', { type: 'choice', choices: ['zinc', 'brushed'], list: 'finishes', narrowedBy: 'Material' }),
      property(3, 'Sheets', { type: 'whole', min: 1, max: 9 }),
      property(4, 'Saved by'),
    ].map((entry, i) => ({ property: entry, header: entry.writtenName, editable: i < 3 }));
    const bytes = written((writer) => {
      const plan = planSheet(columns, { front: [{ header: IDENTITY_HEADER, width: 10 }], lists, widths: new Map([[1, 30]]), protect: true });
      writer.beginSheet(plan.form);
      writer.addRow([{ value: 'S1-R1' }, { value: 'S235JR' }, { value: 'zinc' }, { value: 2 }, { value: 'me' }]);
      writer.endSheet();
      plan.choices(writer);
    });
    const parts = unzipSync(bytes);
    const sheet = strFromU8(parts['xl/worksheets/sheet1.xml']!);
    expect(sheet).toContain(`<formula1>'Choices'!$A$2:$A$3</formula1>`);
    expect(sheet).toContain(`<formula1>OFFSET('Choices'!$C$2,MATCH($B2,'Choices'!$B$2:$B$4,0)-1,0,COUNTIF('Choices'!$B$2:$B$4,$B2),1)</formula1>`);
    expect(sheet).toContain('type="whole" operator="between"');
    expect(sheet).toContain('prompt="As bought. Required."');
    expect(sheet).toContain('prompt="Read-only: changes here are not taken back."');
    expect(sheet).toContain('<sheetProtection sheet="1"');
    expect(sheet).toContain('NOT(LEN(TRIM($B2))&gt;0)');
    const choices = sheetjs.utils.sheet_to_json<string[]>(sheetjs.read(bytes, { type: 'array' }).Sheets['Choices']!, { header: 1, raw: false });
    expect(choices).toEqual([
      ['Material', 'Material', 'Finish'],
      ['S235JR', 'S235JR', 'zinc'],
      ['1.4301', 'S235JR', 'brushed'],
      [undefined, '1.4301', 'brushed'],
    ]);
  });
  it('is read row by row: the first rows come before the whole sheet is unpacked', () => {
    const bytes = written((writer) => {
      writer.beginSheet(sheetOf([plainColumn('n')]));
      for (let i = 0; i < 50_000; i++) writer.addRow([{ value: `row ${i} ${(i * 7919) % 10_007}` }]);
      writer.endSheet();
    });
    const rows = openWorkbook(bytes).sheets[0]!.rows();
    expect([rows.next().value, rows.next().value].map((row) => (row as TableCell[])[0]!.text)).toEqual(['n', 'row 0 0']);
    let count = 2;
    for (const row of rows) count += row.length;
    expect(count).toBe(50_001);
  });
});

describe('tables in JSON and XML', () => {
  const head = {
    sendOut: 3,
    edition: 2,
    at: '2026-11-25T00:00:00.000Z',
    columns: [
      { name: 'A "1"', caption: 'A', type: 'text', unit: null, editable: true },
      { name: 'B', caption: 'B', type: 'number', unit: 'kg', editable: true },
    ],
  };
  it.each([
    ['JSON', jsonDocument, jsonSource],
    ['XML', xmlDocument, xmlSource],
  ] as const)('come back as they went: %s', (_, form, source) => {
    const text = fc.string({ unit: 'grapheme', maxLength: 12 });
    fc.assert(
      fc.property(
        fc.array(fc.tuple(text, fc.option(fc.double({ noNaN: true, noDefaultInfinity: true }).map((n) => n + 0))), { minLength: 1, maxLength: 8 }),
        (rows) => {
          const document =
            form.begin(head) +
            rows.map(([a, b], i) => form.row(head, { identity: `S3-R${i + 1}`, file: `x\t"${a}"`, holder: null, values: [a, b] }, i === 0)).join('') +
            form.end();
          expect([...source(document).rows()].map((row) => row.map((cell) => cell.text))).toEqual([
            [IDENTITY_HEADER, FILE_HEADER, 'A "1"', 'B'],
            ...rows.map(([a, b], i) => [`S3-R${i + 1}`, `x\t"${a}"`, a, b === null ? '' : String(b)]),
          ]);
        },
      ),
      { numRuns: 60 },
    );
  });
  it('may be a plain list of objects', () =>
    expect([...jsonSource('[{"File":"a.step","N":1},{"File":"b.step","M":true}]').rows()].map((row) => row.map((cell) => cell.text))).toEqual([
      ['File', 'N', 'M'],
      ['a.step', '1', ''],
      ['b.step', '', 'yes'],
    ]));
  it('that are none are refused', () => {
    expect([code(() => jsonSource('{"rows": 3}')), code(() => jsonSource('{')), code(() => xmlSource('<a/>')), code(() => xmlSource('<table><row>'))]).toEqual([
      'json-not',
      'json-not',
      'xml-not',
      'xml-not',
    ]);
    expect(code(() => xmlSource('<!DOCTYPE table [<!ENTITY a "b">]><table/>'))).toBe('xml-not');
  });
});

describe('what spreadsheet programs do to values', () => {
  const found = (text: string, is: TableCell['is'], sent: string | null, type: ValueType = 'text') => {
    const odd = spoiled({ text, is }, sent, type);
    return odd && [odd.code, odd.proven];
  };
  // Program behaviour is common practice; fifteen digits are binary64 (IEEE 754).
  const cases: [string, TableCell['is'], string | null, [string, boolean] | null, ValueType?][] = [
    ['7', 'number', '007', ['zeros', true]],
    ['100000', 'number', '1E5', ['exponent', true]],
    ['1.00E+05', 'text', '1E5', ['exponent', true]],
    ['1.23457E+15', 'text', '1234567890123456', ['exponent', true]],
    ['1234567890123450', 'number', '1234567890123456', ['digits', true]],
    ['1.5', 'number', '1.50', ['number form', true]],
    ['1.5', 'number', '1,5', ['number form', true]],
    ['2026-04-03', 'date', '3-4', ['date', true]],
    ['2026-03-04', 'date', '3-4', ['date', true]],
    ['2026-03-01', 'date', 'MAR1', ['date', true]],
    ['2001-03-01', 'date', 'MAR-01', ['date', true]],
    ['03. Apr', 'text', '3-4', ['date', true]],
    ['Mrz 26', 'text', 'MAR26', ['date', true]],
    ['03.04.2026', 'text', '3/4', ['date', true]],
    ['yes', 'boolean', 'TRUE', ['yes or no', true]],
    ['Drum', 'text', 'Drum ', ['blanks', true]],
    ['Dru\u00a0m', 'text', 'Dru m', ['blanks', true]],
    ['5” pipe – long', 'text', '5" pipe - long', ['autocorrected', true]],
    ['Gr??e', 'text', 'Größe', ['letters', true]],
    ['GrÃ¶ÃŸe', 'text', 'Größe', ['letters', true]],
    ['x'.repeat(255), 'text', 'x'.repeat(300), ['cut off', true]],
    ['#REF!', 'error', 'N-1', ['error cell', true]],
    ['#N/A', 'text', null, ['error cell', false]],
    ['2026-04-03', 'date', '3.4', ['date', true], 'number'],
    ['1,234', 'text', '1.234', ['decimal sign', true], 'number'],
    ['46351', 'number', '2026-11-25', ['serial number', true], 'date'],
    ['11/25/2026', 'text', '2026-11-25', ['date', true], 'date'],
    // Unproven cases are questions; plausible ones are not reported.
    ['2026-04-03', 'date', 'N-1', ['date', false]],
    ['1e+21', 'number', null, ['digits', false]],
    ['8', 'number', '007', null],
    ['42', 'number', null, null],
    ['N-2', 'text', 'N-1', null],
    ['2.5', 'number', '1.5', null, 'number'],
  ];
  it.each(cases.map(([text, is, sent, expected, type = 'text']) => [text, is, sent, expected, type] as const))(
    '%j (%s) where %j was sent',
    (text, is, sent, expected, type) => expect(found(text, is, sent, type)).toEqual(expected),
  );
  it('a formula is asked about, whatever comes out of it', () => {
    expect(spoiled({ text: '3', is: 'number', formula: true }, '2', 'number')).toMatchObject({ code: 'formula', proven: false });
  });
});

describe('the columns of a table', () => {
  const properties = [
    property(1, 'Material', { knownSpellings: ['Werkstoff'] }),
    property(2, 'Mass', { caption: 'Weight of the part' }),
    property(3, 'Order number'),
    property(4, 'Old', { retired: true }),
  ];
  const match = (header: string[], sent: { property: number; header: string }[] = []) =>
    matchColumns(header, { properties, sent, abbreviations: [{ short: 'no', long: 'number' }] }).map((m) => [m.header, m.use, m.property, m.by, m.ask]);
  it('are known by written name, known spelling and caption; anything else is asked about', () =>
    expect(match(['File name', 'Material', 'Weight of the part', 'Order No', 'Colour', 'Old'])).toEqual([
      ['File name', 'file', null, 'role', false],
      ['Material', 'property', 1, 'written name', false],
      ['Weight of the part', 'property', 2, 'caption', false],
      ['Order No', 'property', 3, 'likeness', true],
      ['Colour', 'ignored', null, null, true],
      ['Old', 'ignored', null, null, false],
    ]));
  it('are known by what they were sent out as, before all else', () =>
    expect(match([IDENTITY_HEADER, 'Mass', 'What it is made of'], [{ property: 1, header: 'Mass' }])).toEqual([
      [IDENTITY_HEADER, 'identity', null, 'role', false],
      ['Mass', 'property', 1, 'sent header', false],
      ['What it is made of', 'ignored', null, null, true],
    ]));
  it('a property has one column, and a header stands once', () => {
    expect(match(['File', 'Material', 'Werkstoff', 'Material']).slice(1)).toEqual([
      ['Material', 'property', 1, 'written name', false],
      ['Werkstoff', 'ignored', null, null, true],
      ['Material', 'ignored', null, null, true],
    ]);
    const known = new Map(properties.map((entry) => [entry.id, entry]));
    const twice = matchColumns(['File', 'Material', 'x'], { properties, sent: [], abbreviations: [] }).map((m) =>
      m.header === 'x' ? { ...m, use: 'property' as const, property: 1 } : m,
    );
    expect(code(() => shapeOf(twice, known))).toBe('column-twice');
    expect(code(() => shapeOf(matchColumns(['Material'], { properties, sent: [], abbreviations: [] }), known))).toBe('no-file-column');
  });
  it('are named by their values where their headers say nothing, as a question', () => {
    const sent = [{ property: 3, header: 'Order number' }];
    const matches = matchColumns(['File', 'Bestellung', 'Other'], { properties, sent, abbreviations: [] });
    const rows = ['A-1', 'A-2', 'A-3', 'A-4'].map((text, i) => ({
      cells: [
        { text: 'f', is: 'text' as const },
        { text: i === 3 ? 'new' : text, is: 'text' as const },
        { text: 'z', is: 'text' as const },
      ],
      sent: new Map([[3, text]]),
    }));
    expect(matchByValues(matches, rows, sent).map((m) => [m.property, m.by, m.ask])).toEqual([
      [null, 'role', false],
      [3, 'values', true],
      [null, null, true],
    ]);
  });
  it('stand in the row that heads the table', () => {
    const rows = (list: string[][]) => list.map((row) => row.map((text): TableCell => ({ text, is: text ? 'text' : 'blank' })));
    expect(headerRowOf(rows([['Our list'], [], ['No', 'File name', 'Mass'], ['1', 'a', '2']]))).toBe(2);
    expect(headerRowOf(rows([['Our list'], ['a', 'b']]))).toBe(1);
  });
});

describe('taking back', () => {
  const properties = [
    property(1, 'Material', { type: 'choice', choices: ['S235JR', '1.4301'], required: true }),
    property(2, 'Mass', { type: 'number', unit: 'kg', decimals: 3 }),
    property(3, 'Order number'),
    property(4, 'Saved by', { feed: 'file', fileField: 'author' }),
  ];
  const byId = new Map(properties.map((entry) => [entry.id, entry]));
  const files: KnownFile[] = [
    { id: 11, path: 'a/plate.step', kind: 'part', className: null, state: null, lock: null },
    { id: 12, path: 'b/arm.step', kind: 'part', className: null, state: null, lock: null },
    { id: 13, path: 'b/stub.step', kind: 'part', className: null, state: null, lock: 'is released in the vault' },
    { id: 14, path: 'c/plan.dxf', kind: 'drawing', className: null, state: null, lock: null },
    { id: 15, path: 'c/shut.step', kind: 'part', className: null, state: null, lock: 'is open in another program' },
  ];
  const kg = (text: string): HeldValue => ({ text, form: 'measure', unit: 'kg' });
  const sent: Record<string, HeldValue> = {
    '11/1': heldText('S235JR'),
    '11/2': kg('1.5'),
    '11/3': heldText('007'),
    '12/1': heldText('1.4301'),
    '13/3': heldText('x'),
    '11/4': heldText('me'),
    '15/1': heldText('S235JR'),
    '15/3': heldText('008'),
  };
  const HEADER = [IDENTITY_HEADER, FILE_HEADER, 'Material', 'Mass', 'Order number', 'Saved by'];
  type Back = { cells: TakeBackCell[]; issues: TakeBackIssue[]; counts: TakeBackCounts };
  const cell = (text: string, is: TableCell['is'] = text === '' ? 'blank' : 'text'): TableCell => ({ text, is });
  const row = (file: number, ...cells: (string | TableCell)[]) => [identityMark(1, file), '', ...cells];

  /** Compares rows like the server, using file ids for sent rows. */
  function back(
    rows: readonly (readonly (string | TableCell)[])[],
    now: Record<string, HeldValue | null> = {},
    more: Partial<TakeBackContext> = {},
    header: readonly string[] = HEADER,
  ): Back {
    const shape = shapeOf(matchColumns(header, { properties, sent: [], abbreviations: [] }), byId);
    const comparison = new Comparison({
      shape,
      standIns: compileStandIns(['-*']),
      role: 'editor',
      decimal: null,
      onlyBlanks: false,
      named: (name) => properties.find((entry) => entry.writtenName === name),
      ...more,
    });
    const out: Back = { cells: [], issues: [], counts: comparison.counts };
    rows.forEach((entry, i) => {
      const cells = entry.map((c) => (typeof c === 'string' ? cell(c) : c));
      const identity = comparison.identify(cells);
      if (!identity) return;
      const file = files.find((candidate) => candidate.id === identity.mark?.row || candidate.path === identity.path);
      const found: FoundRow | LostRow = file
        ? {
            file,
            holder: '',
            level: 'document',
            sendOut: identity.mark?.sendOut ?? null,
            base: (id) => (identity.mark?.sendOut === 1 ? (sent[`${file.id}/${id}`] ?? null) : undefined),
            current: (id) => (`${file.id}/${id}` in now ? now[`${file.id}/${id}`]! : (sent[`${file.id}/${id}`] ?? null)),
            editable: () => true,
          }
        : { code: 'unknown-file', message: 'No such file.' };
      const told = comparison.take(i + 2, cells, found);
      out.cells.push(...told.cells);
      if (told.issue) out.issues.push(told.issue);
    });
    return out;
  }
  const verdicts = (result: Back) => result.cells.map((c) => [c.row, c.property, c.verdict, c.code]);

  it('knows the marks of rows, also those of files alone that were written before', () => {
    expect(readIdentityMark(identityMark(12, 345))).toEqual({ sendOut: 12, row: 345 });
    expect(readIdentityMark(' S1-F7 ')).toEqual({ sendOut: 1, row: 7 });
    expect(readIdentityMark('S1-R')).toBeNull();
  });
  it('finds nothing where nothing was changed, whatever type the spreadsheet made of it', () => {
    const result = back([row(11, 'S235JR', cell('1.5', 'number'), '007', 'me'), row(12, '1.4301', '', '', '')]);
    expect(result.cells).toEqual([]);
    expect(result.counts).toEqual({ unchanged: 8, change: 0, same: 0, conflict: 0, spoiled: 0, error: 0, ignored: 0, notTaken: 0, rows: 2, total: 8 });
  });
  it('tells change, conflict and what Rule holds already apart', () => {
    const result = back([row(11, '1.4301', '2.5', '007', 'me'), row(12, 'S235JR', '', 'N-1', '')], { '11/1': heldText('DC01'), '12/3': heldText('N-1') });
    expect(verdicts(result)).toEqual([
      [2, 1, 'conflict', 'conflict'],
      [2, 2, 'change', 'change'],
      [3, 1, 'change', 'change'],
      [3, 3, 'same', 'same'],
    ]);
    expect(result.cells[1]!.proposed).toEqual(kg('2.5'));
    expect(result.cells[0]).toMatchObject({ base: heldText('S235JR'), current: heldText('DC01'), proposed: heldText('1.4301') });
  });
  it('refuses single cells with the reason, and nothing else', () => {
    const result = back([
      row(11, 'wood', 'heavy', '--', 'you'),
      row(12, '', cell('#REF!', 'error'), 'N-2', ''),
      row(13, '1.4301', '', 'x', ''),
      row(14, '', '', 'N-3', ''),
    ]);
    expect(verdicts(result)).toEqual([
      [2, 1, 'error', 'not-a-choice'],
      [2, 2, 'error', 'type'],
      [2, 3, 'error', 'stand-in'],
      [2, 4, 'error', 'computed'],
      [3, 1, 'error', 'required'],
      [3, 2, 'spoiled', 'error cell'],
      [3, 3, 'change', 'change'],
      [4, 1, 'error', 'locked'],
      [5, 3, 'error', 'not-reached'],
    ]);
    expect(result.cells.find((c) => c.code === 'locked')!.message).toBe('b/stub.step is released in the vault.');
    expect(result.cells.find((c) => c.code === 'error cell')!.takeable).toBe(false);
  });
  it('names what the spreadsheet spoiled, with what it would write if somebody took it all the same', () => {
    const result = back([row(11, 'S235JR', '1,5', cell('7', 'number'), 'me')]);
    expect(result.cells).toMatchObject([{ verdict: 'spoiled', code: 'zeros', proven: true, takeable: true, proposed: heldText('7'), base: heldText('007') }]);
  });
  it('what a spreadsheet provably spoiled is named in a file that is closed too, and cannot be taken there', () => {
    const result = back([row(15, 'S235JR', '', cell('8', 'number'), '')]);
    expect(result.cells).toMatchObject([{ verdict: 'spoiled', code: 'zeros', proven: true, takeable: false, proposed: heldText('8') }]);
  });
  it('reads numbers with the decimal sign of the file', () => {
    const mass = (text: string, decimal: '.' | ',') => back([row(12, '1.4301', text, '', '')], {}, { decimal }).cells.map((c) => c.proposed?.text ?? c.code);
    expect([mass('1.234,5', ','), mass('1,234', ','), mass('1,234.5', '.'), mass('1,234', '.')]).toEqual([['1234.5'], ['1.234'], ['1234.5'], ['1234']]);
  });
  it('fills blanks only, where that is wanted', () => {
    const result = back([row(11, '1.4301', '', '007', 'me'), row(12, '1.4301', '2', '', '')], {}, { onlyBlanks: true });
    expect(verdicts(result)).toEqual([
      [2, 1, 'error', 'filled-already'],
      [2, 2, 'error', 'filled-already'],
      [3, 2, 'change', 'change'],
    ]);
  });
  it('leaves rows out that name no file or one that stands there already, and counts their cells', () => {
    const result = back(
      [
        ['', 'a/plate.step', '1.4301'],
        ['', 'gone.step', 'x'],
        ['', ''],
        ['', 'a/plate.step', 'S235JR'],
      ],
      {},
      {},
      [IDENTITY_HEADER, FILE_HEADER, 'Material'],
    );
    expect(result.issues.map((issue) => [issue.row, issue.code, issue.cells])).toEqual([
      [3, 'unknown-file', 1],
      [5, 'row-twice', 1],
    ]);
    expect(result.counts).toMatchObject({ rows: 3, total: 3, change: 1, notTaken: 2 });
  });
  it('counts every cell once, whatever stands in the table', () => {
    const any = fc.constantFrom('S235JR', '1.4301', '2.5', '', 'N-1', '--', 'me', '7', '#REF!');
    fc.assert(
      fc.property(fc.array(fc.tuple(fc.constantFrom(11, 12, 13, 14, 99), any, any, any, any), { maxLength: 8 }), (rows) => {
        const result = back(
          rows.map(([file, ...cells]) => [...row(file, ...cells), 'x']),
          { '11/3': heldText('N-1') },
          {},
          [...HEADER, 'Colour'],
        );
        const { unchanged, change, same, conflict, spoiled: odd, error, ignored, notTaken, total } = result.counts;
        expect(unchanged + change + same + conflict + odd + error + ignored + notTaken).toBe(total);
        expect(total).toBe(rows.length * 5);
        expect(result.cells).toHaveLength(change + same + conflict + odd + error);
      }),
    );
  });
  it('does not depend on the order of rows and columns', () => {
    const any = fc.constantFrom('S235JR', '1.4301', '2.5', '', 'N-1', '7', 'you');
    const order = <T>(list: readonly T[], by: readonly number[]) => by.map((i) => list[i]!);
    fc.assert(
      fc.property(
        fc.tuple(any, any, any, any),
        fc.tuple(any, any, any, any),
        fc.shuffledSubarray([0, 1, 2, 3, 4, 5], { minLength: 6 }),
        fc.boolean(),
        (a, b, columns, turned) => {
          const rows = [row(11, ...a), row(12, ...b)];
          const plain = back(rows);
          const moved = back(
            (turned ? [...rows].reverse() : rows).map((entry) => order(entry, columns)),
            {},
            {},
            order(HEADER, columns),
          );
          const key = (result: Back) => result.cells.map((c) => `${c.file} ${c.property} ${c.verdict} ${c.code} ${c.text}`).sort();
          expect(key(moved)).toEqual(key(plain));
          expect(moved.counts).toEqual(plain.counts);
        },
      ),
    );
  });

  describe('what was sent out and comes back untouched changes nothing', () => {
    const text = fc.string({ unit: 'grapheme', minLength: 1, maxLength: 20 });
    const spec = (change: Partial<Property>) => property(9, 'X', change);
    const day = fc.date({ min: new Date('0100-01-01'), max: new Date('9999-12-31'), noInvalidDate: true }).map((d) => d.toISOString().slice(0, 10));
    const cases: [string, Property, fc.Arbitrary<HeldValue>][] = [
      ['text', spec({}), fc.string({ unit: 'binary', minLength: 1, maxLength: 20 }).map(heldText)],
      ['long text', spec({ type: 'longtext' }), text.map((s) => heldText(`${s}\r\n${s}`))],
      ['choice', spec({ type: 'choice', open: true, choices: [] }), text.map(heldText)],
      ['person', spec({ type: 'person' }), text.map(heldText)],
      ['file', spec({ type: 'file' }), text.map(heldText)],
      ['whole number', spec({ type: 'whole' }), fc.integer().map((n): HeldValue => ({ text: String(n), form: 'integer' }))],
      ['number', spec({ type: 'number' }), fc.double({ noNaN: true, noDefaultInfinity: true }).map((n) => holdValue(n + 0, spec({ type: 'number' })))],
      [
        'measure',
        spec({ type: 'number', unit: 'kg' }),
        fc.double({ min: -1e9, max: 1e9, noNaN: true }).map((n) => holdValue(n + 0, spec({ type: 'number', unit: 'kg' }))),
      ],
      [
        'measure in another unit',
        spec({ type: 'number', unit: 'mm' }),
        fc.double({ min: -1e6, max: 1e6, noNaN: true }).map((n) => ({ text: plainNumber(n + 0), form: 'measure' as const, unit: 'in' })),
      ],
      ['yes or no', spec({ type: 'yesno', words: ['ja', 'nein'] }), fc.boolean().map((b) => heldText(b ? 'ja' : 'nein'))],
      ['date', spec({ type: 'date' }), day.map(heldText)],
      ['what is no value of its type', spec({ type: 'number', unit: 'kg' }), text.map(heldText)],
    ];
    const untouched = (entry: Property, held: HeldValue, table: TableCell, decimal: '.' | ',' | null) => {
      const comparison = new Comparison({
        shape: { identityAt: 0, fileAt: -1, holderAt: -1, propertyAt: -1, valueAt: -1, columns: [{ at: 1, header: 'X', property: entry }], ignored: [] },
        standIns: compileStandIns([]),
        role: 'editor',
        decimal,
        onlyBlanks: false,
        named: () => undefined,
      });
      const found: FoundRow = { file: files[0]!, holder: '', level: 'document', sendOut: 1, base: () => held, current: () => held, editable: () => true };
      expect(comparison.take(2, [cell('S1-R1'), table], found).cells).toEqual([]);
    };
    it.each(cases)('in a workbook: %s', (_, entry, arbitrary) => {
      fc.assert(
        fc.property(arbitrary, (held) => {
          const value = cellValue(held, entry);
          const bytes = written((writer) => {
            writer.beginSheet(sheetOf([plainColumn('X', typeof value === 'string' ? '@' : numberFormat(entry)), plainColumn('end')]));
            writer.addRow([{ value }, { value: '.' }]);
            writer.endSheet();
          });
          untouched(entry, held, readWorkbook(bytes)[0]!.rows[1]![0]!, null);
        }),
        { numRuns: 60 },
      );
    });
    it.each(cases)('in a CSV file: %s', (_, entry, arbitrary) => {
      fc.assert(
        fc.property(arbitrary, fc.constantFrom('.' as const, ',' as const), (held, decimal) => {
          // CSV has no escape for the character U+0000; PostgreSQL holds none either.
          if (held.text.includes('\0') || held.text.includes('\ufeff')) return;
          const table = readCsv(
            new TextEncoder().encode(
              writeCsv(
                [
                  ['X', 'end'],
                  [cellText(held, entry, decimal), '.'],
                ],
                ';',
              ),
            ),
          );
          untouched(entry, held, table.rows[1]![0]!, decimal);
        }),
        { numRuns: 60 },
      );
    });
  });
});
