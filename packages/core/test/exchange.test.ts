import { describe, expect, it } from '@jest/globals';
import * as sheetjs from '@e965/xlsx';
import fc from 'fast-check';
import { strToU8, zipSync } from 'fflate';
import {
  FILE_HEADER,
  IDENTITY_HEADER,
  KnownFile,
  Table,
  TableCell,
  TableError,
  TakeBackContext,
  chooseTable,
  decodeText,
  identityMark,
  neutralise,
  readCsv,
  readWorkbook,
  restore,
  takeBack,
  writeCsv,
} from '../src/exchange';
import { Property, newDraft } from '../src/schema';
import { HeldValue, compileStandIns, heldText } from '../src/values';

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
        // A header keeps the last rows from being taken for empty ones.
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
  it('with a sep= line is read without it', () =>
    expect(texts(readCsv(strToU8('sep=|\r\na|b\r\n1|2')))).toEqual([
      ['a', 'b'],
      ['1', '2'],
    ]));
  it('refuses what is no text or has an open quotation mark', () => {
    expect(code(() => readCsv(new Uint8Array([65, 66, 0, 1, 2, 3])))).toBe('csv-not');
    expect(code(() => readCsv(strToU8('File,A\n"open,1\n')))).toBe('csv-quotes');
  });
});

/** A workbook put together by hand from its parts. */
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
  it('that is none, is damaged or is a bomb is refused', () => {
    expect(code(() => readWorkbook(strToU8('File,Material')))).toBe('xlsx-not');
    expect(code(() => readWorkbook(zipSync({ 'word/document.xml': strToU8('<x/>') })))).toBe('xlsx-not');
    expect(code(() => readWorkbook(workbook('<row r="1"></row>').slice(0, 200)))).toBe('xlsx-broken');
    expect(code(() => readWorkbook(workbook('<row r="1"><c></row>')))).toBe('xlsx-broken');
    expect(code(() => readWorkbook(workbook('<row r="5"/><row r="2"/>')))).toBe('xlsx-broken');
    expect(code(() => readWorkbook(workbook('<row r="1"/>', { 'xl/styles.xml': '<!DOCTYPE x [<!ENTITY a "b">]><x>&a;</x>' })))).toBe('xlsx-broken');
    const bomb = zipSync({ 'xl/workbook.xml': strToU8('<workbook/>'), 'xl/worksheets/sheet1.xml': new Uint8Array(30_000_000) }, { level: 9 });
    expect(bomb.length).toBeLessThan(100_000);
    expect(code(() => readWorkbook(bomb))).toBe('xlsx-too-large');
    expect(code(() => readWorkbook(workbook('<row r="1"><c r="A1"/><c r="XFD1"/></row>'), { bytes: 1e6, cells: 1000 }))).toBe('xlsx-too-large');
  });
});

describe('taking back', () => {
  const property = (id: number, writtenName: string, change: Partial<Property> = {}): Property => ({ ...newDraft(writtenName), id, retired: false, ...change });
  const properties = [
    property(1, 'Material', { type: 'choice', choices: ['S235JR', '1.4301'], required: true }),
    property(2, 'Mass', { type: 'number', unit: 'kg', decimals: 3 }),
    property(3, 'Order number'),
    property(4, 'Saved by', { feed: 'file', fileField: 'author' }),
    property(5, 'Old', { retired: true }),
  ];
  const files: KnownFile[] = [
    { id: 11, path: 'a/plate.step', kind: 'part', className: null, state: null, lock: null },
    { id: 12, path: 'b/arm.step', kind: 'part', className: null, state: null, lock: null },
    { id: 13, path: 'b/stub.step', kind: 'part', className: null, state: null, lock: 'is released in the vault' },
    { id: 14, path: 'c/plan.dxf', kind: 'drawing', className: null, state: null, lock: null },
    { id: 15, path: 'c/arm.step', kind: 'part', className: null, state: null, lock: null },
  ];
  const kg = (text: string): HeldValue => ({ text, form: 'measure', unit: 'kg' });
  const sent: Record<string, HeldValue> = {
    '11/1': heldText('S235JR'),
    '11/2': kg('1.5'),
    '11/3': heldText('007'),
    '12/1': heldText('1.4301'),
    '13/3': heldText('x'),
    '11/4': heldText('me'),
  };
  const context = (now: Record<string, HeldValue | null> = {}): TakeBackContext => ({
    properties,
    standIns: compileStandIns(['-*']),
    file: (id) => files.find((file) => file.id === id),
    filesAt: (path) => files.filter((file) => file.path === path || file.path.endsWith(`/${path}`)),
    base: (sendOut, file, id) => (sendOut === 1 ? (sent[`${file}/${id}`] ?? null) : undefined),
    current: (file, id) => {
      const key = `${file}/${id}`;
      return key in now ? now[key]! : (sent[key] ?? null);
    },
    role: 'editor',
  });
  const cell = (text: string, is: TableCell['is'] = text === '' ? 'blank' : 'text'): TableCell => ({ text, is });
  const table = (header: string[], ...rows: (string | TableCell)[][]): Table => ({
    sheet: 'S',
    note: null,
    rows: [header, ...rows].map((row) => row.map((c) => (typeof c === 'string' ? cell(c) : c))),
  });
  const HEADER = [IDENTITY_HEADER, FILE_HEADER, 'Material', 'Mass', 'Order number', 'Saved by'];
  const row = (file: number, ...cells: (string | TableCell)[]) => [identityMark(1, file), '', ...cells];
  const verdicts = (result: ReturnType<typeof takeBack>) => result.cells.map((c) => [c.row, c.property, c.verdict, c.code]);

  it('finds nothing where nothing was changed, whatever type the spreadsheet made of it', () => {
    const result = takeBack(table(HEADER, row(11, 'S235JR', cell('1.5', 'number'), '007', 'me'), row(12, '1.4301', '', '', '')), context());
    expect(result.cells).toEqual([]);
    expect(result.counts).toEqual({ unchanged: 8, change: 0, same: 0, conflict: 0, error: 0, notTaken: 0, total: 8 });
  });
  it('tells change, conflict and what Rule holds already apart', () => {
    const result = takeBack(
      table(HEADER, row(11, '1.4301', '2.5', '007', 'me'), row(12, 'S235JR', '', 'N-1', '')),
      context({ '11/1': heldText('DC01'), '12/3': heldText('N-1') }),
    );
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
    const result = takeBack(
      table(
        HEADER,
        row(11, 'wood', 'heavy', '--', 'you'),
        row(12, '', cell('#REF!', 'error'), 'N-2', ''),
        row(13, '1.4301', '', 'x', ''),
        row(14, '', '', 'N-3', ''),
      ),
      context(),
    );
    expect(verdicts(result)).toEqual([
      [2, 1, 'error', 'not-a-choice'],
      [2, 2, 'error', 'type'],
      [2, 3, 'error', 'stand-in'],
      [2, 4, 'error', 'computed'],
      [3, 1, 'error', 'required'],
      [3, 2, 'error', 'error-cell'],
      [3, 3, 'change', 'change'],
      [4, 1, 'error', 'locked'],
      [5, 3, 'error', 'not-reached'],
    ]);
    expect(result.cells.find((c) => c.code === 'locked')!.message).toBe('b/stub.step is released in the vault.');
  });
  it('takes a foreign list by path or file name, and asks where a name is ambiguous', () => {
    const result = takeBack(
      table(
        [FILE_HEADER, 'Order number'],
        ['plate.step', 'N-1'],
        ['arm.step', 'N-2'],
        ['c/arm.step', 'N-3'],
        ['gone.step', 'N-4'],
        ['', ''],
        ['a/plate.step', 'N-5'],
      ),
      context(),
    );
    expect(verdicts(result)).toEqual([
      [2, 3, 'change', 'change'],
      [4, 3, 'change', 'change'],
    ]);
    expect(result.issues.map((issue) => [issue.row, issue.code])).toEqual([
      [3, 'ambiguous-file'],
      [5, 'unknown-file'],
      [7, 'row-twice'],
    ]);
    expect(result.counts).toMatchObject({ total: 5, change: 2, notTaken: 3 });
  });
  it('leaves columns out that it does not know exactly, and names what differs', () => {
    const result = takeBack(table([FILE_HEADER, 'Material ', 'Colour', 'Old'], ['a/plate.step', 'x', 'y', 'z']), context());
    expect(result.issues.map((issue) => issue.code)).toEqual(['column-alike', 'unknown-column', 'retired-column']);
    expect(result.issues[0]!.message).toContain('differs from "Material" in blanks');
    expect(result.counts.total).toBe(0);
  });
  it('refuses a table without a file column or with a header that stands twice', () => {
    expect(code(() => chooseTable([table(['Name', 'Material'])]))).toBe('no-file-column');
    expect(code(() => takeBack(table([FILE_HEADER, 'Material', 'Material']), context()))).toBe('header-twice');
    expect(chooseTable([table(['x']), table([FILE_HEADER])]).rows[0]![0]!.text).toBe(FILE_HEADER);
  });
  it('counts every cell once, whatever stands in the table', () => {
    const any = fc.constantFrom('S235JR', '1.4301', '2.5', '', 'N-1', '--', 'me');
    fc.assert(
      fc.property(fc.array(fc.tuple(fc.constantFrom(11, 12, 13, 14, 99), any, any, any, any), { maxLength: 8 }), (rows) => {
        const result = takeBack(table(HEADER, ...rows.map(([file, ...cells]) => row(file, ...cells))), context({ '11/3': heldText('N-1') }));
        const { unchanged, change, same, conflict, error, notTaken, total } = result.counts;
        expect(unchanged + change + same + conflict + error + notTaken).toBe(total);
        expect(total).toBe(rows.length * 4);
        expect(result.cells).toHaveLength(change + same + conflict + error);
      }),
    );
  });
});
