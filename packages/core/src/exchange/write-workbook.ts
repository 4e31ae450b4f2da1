import { Zip, ZipDeflate, strToU8 } from 'fflate';
import { escapeMarkup, escapeX } from '../files/opc';

/** A value for a cell. Dates are ISO 8601 without time. */
export type WrittenValue = string | number | { readonly date: string } | null;

/** Appearance and lock of a cell. */
export interface CellLook {
  /** Number format; `@` for text. */
  readonly format: string;
  readonly locked: boolean;
  /** `lines` for multi-line texts. */
  readonly look: 'plain' | 'lines' | 'off' | 'header' | 'title';
}

/** Validation of a column. Formulas refer to row 2. */
export type Validation =
  | { readonly type: 'list'; readonly formula: string; readonly open: boolean }
  | {
      readonly type: 'whole' | 'decimal' | 'date' | 'textLength';
      readonly operator: 'between' | 'greaterThanOrEqual' | 'lessThanOrEqual';
      readonly formulas: readonly string[];
    }
  | { readonly type: 'any' };

/** A conditional format's formula. */
export interface Mark {
  readonly formula: string;
  readonly as: 'missing' | 'wrong';
}

export interface SheetColumn {
  readonly header: string;
  /** In characters. */
  readonly width: number;
  readonly cell: CellLook;
  readonly hidden?: boolean;
  readonly validation?: Validation;
  /** Input hint. */
  readonly prompt?: { readonly title: string; readonly text: string };
  readonly marks?: readonly Mark[];
}

export interface SheetForm {
  readonly name: string;
  readonly columns: readonly SheetColumn[];
  /** Frozen columns. */
  readonly frozen: number;
  readonly filter: boolean;
  readonly protect: boolean;
  readonly hidden?: boolean;
  /** Deepest outline level, with headings above; none by default. */
  readonly outline?: number;
}

/** Row options. */
export interface RowForm {
  /** Outline level. */
  readonly outline?: number;
  /** In points. */
  readonly height?: number;
  /** A PNG in a cell, with size in pixels. */
  readonly picture?: { readonly column: number; readonly png: Uint8Array; readonly width: number; readonly height: number };
}

/** EMU per pixel at 96 dpi (ECMA-376 part 1, 20.1.2.1). */
const EMU = 9525;

/** Maximum characters per cell. */
export const LONGEST_CELL = 32_767;
/** Maximum rows (not in ECMA-376; common practice). */
export const MOST_ROWS = 1_048_576;
/** Maximum columns: XFD. */
export const MOST_COLUMNS = 16_384;

/** Column letters, from 0. */
export function columnLetters(column: number): string {
  let letters = '';
  for (let n = column + 1; n > 0; n = Math.floor((n - 1) / 26)) letters = String.fromCharCode(65 + ((n - 1) % 26)) + letters;
  return letters;
}

/** First date with an unambiguous serial number; before it the 1900 system includes a non-existent 29 February 1900. */
const FIRST_DAY = '1900-03-01';

const serialOf = (iso: string): number => Math.round((Date.parse(`${iso}T00:00:00Z`) - Date.UTC(1899, 11, 30)) / 86_400_000);

/** Buffer size before compression, in characters. */
const PIECE = 1 << 16;

const XML = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>\n';
const MAIN = 'http://schemas.openxmlformats.org/spreadsheetml/2006/main';
const RELATIONS = 'http://schemas.openxmlformats.org/officeDocument/2006/relationships';

const text = (value: string): string => {
  const held = escapeMarkup(escapeX(value));
  return /^\s|\s$|\n/.test(held) ? `<t xml:space="preserve">${held}</t>` : `<t>${held}</t>`;
};

/** A row being written: values with optional looks. */
export interface WrittenCell {
  readonly value: WrittenValue;
  readonly look?: CellLook;
}

/** Writes an XLSX workbook (ECMA-376) by rows, compressing as it goes, in constant memory. */
export class WorkbookWriter {
  private readonly zip: Zip;
  private readonly styles = new Map<string, number>();
  private readonly looks: CellLook[] = [];
  private readonly sheets: { name: string; hidden: boolean; filter: string | null }[] = [];
  private part: ZipDeflate | null = null;
  private form: SheetForm | null = null;
  private columnStyles: number[] = [];
  private row = 0;
  private pending = '';
  private pictures: { readonly row: number; readonly picture: NonNullable<RowForm['picture']> }[] = [];
  private readonly drawn = new Set<number>();
  private readonly media = new Map<Uint8Array, number>();

  /** @param properties custom document properties */
  constructor(
    out: (piece: Uint8Array) => void,
    private readonly properties: Readonly<Record<string, string>> = {},
  ) {
    this.zip = new Zip((error, piece) => {
      if (error) throw error;
      out(piece);
    });
    this.style({ format: 'General', locked: true, look: 'plain' });
  }

  private style(look: CellLook): number {
    const key = `${look.format}\0${look.locked}\0${look.look}`;
    const known = this.styles.get(key);
    if (known !== undefined) return known;
    this.styles.set(key, this.looks.length);
    return this.looks.push(look) - 1;
  }

  private begin(name: string): void {
    this.part = new ZipDeflate(name, { level: 3 });
    this.zip.add(this.part);
  }

  private write(piece: string): void {
    this.pending += piece;
    if (this.pending.length < PIECE) return;
    this.part!.push(strToU8(this.pending));
    this.pending = '';
  }

  private finish(): void {
    this.part!.push(strToU8(this.pending), true);
    this.pending = '';
    this.part = null;
  }

  private whole(name: string, content: string): void {
    this.begin(name);
    this.write(content);
    this.finish();
  }

  /** Starts a sheet with its header. */
  beginSheet(form: SheetForm): void {
    this.form = form;
    this.row = 0;
    this.pictures = [];
    this.columnStyles = form.columns.map((column) => this.style(column.cell));
    this.begin(`xl/worksheets/sheet${this.sheets.length + 1}.xml`);
    const pane =
      form.frozen > 0
        ? `<pane xSplit="${form.frozen}" ySplit="1" topLeftCell="${columnLetters(form.frozen)}2" activePane="bottomRight" state="frozen"/>`
        : '<pane ySplit="1" topLeftCell="A2" activePane="bottomLeft" state="frozen"/>';
    this.write(
      `${XML}<worksheet xmlns="${MAIN}" xmlns:r="${RELATIONS}">${form.outline ? '<sheetPr><outlinePr summaryBelow="0"/></sheetPr>' : ''}<sheetViews><sheetView workbookViewId="0"${this.sheets.length === 0 ? ' tabSelected="1"' : ''}>${pane}</sheetView></sheetViews><sheetFormatPr defaultRowHeight="15"${form.outline ? ` outlineLevelRow="${form.outline}"` : ''}/><cols>${form.columns
        .map(
          (column, i) =>
            `<col min="${i + 1}" max="${i + 1}" width="${column.width}" style="${this.columnStyles[i]}" customWidth="1"${column.hidden ? ' hidden="1"' : ''}/>`,
        )
        .join('')}</cols><sheetData>`,
    );
    this.addRow(form.columns.map((column): WrittenCell => ({ value: column.header, look: { format: '@', locked: true, look: 'header' } })));
  }

  /** Adds a row; long texts are truncated. */
  addRow(cells: readonly WrittenCell[], { outline, height, picture }: RowForm = {}): void {
    const row = ++this.row;
    if (picture) this.pictures.push({ row, picture });
    let xml = `<row r="${row}"${outline ? ` outlineLevel="${outline}"` : ''}${height ? ` ht="${height}" customHeight="1"` : ''}>`;
    for (let i = 0; i < cells.length; i++) {
      const { value, look } = cells[i]!;
      const style = look ? this.style(look) : this.columnStyles[i]!;
      const at = `r="${columnLetters(i)}${row}" s="${style}"`;
      if (value === null || value === '') xml += `<c ${at}/>`;
      else if (typeof value === 'number') xml += `<c ${at}><v>${value}</v></c>`;
      else if (typeof value === 'string') xml += `<c ${at} t="inlineStr"><is>${text(value.slice(0, LONGEST_CELL))}</is></c>`;
      else if (value.date >= FIRST_DAY) xml += `<c ${at}><v>${serialOf(value.date)}</v></c>`;
      else xml += `<c ${at} t="inlineStr"><is>${text(value.date)}</is></c>`;
    }
    this.write(`${xml}</row>`);
  }

  endSheet(): void {
    const form = this.form!;
    const last = Math.max(this.row, 2);
    const range = (i: number) => `${columnLetters(i)}2:${columnLetters(i)}${last}`;
    const all = `A1:${columnLetters(Math.max(form.columns.length - 1, 0))}${last}`;
    let xml = '</sheetData>';
    // Protected sheets still allow sorting, filtering, widths, and adding or deleting rows.
    if (form.protect)
      xml += '<sheetProtection sheet="1" formatCells="0" formatColumns="0" formatRows="0" insertRows="0" deleteRows="0" sort="0" autoFilter="0"/>';
    if (form.filter) xml += `<autoFilter ref="${all}"/>`;
    let priority = 0;
    for (const [i, column] of form.columns.entries())
      if (column.marks?.length)
        xml += `<conditionalFormatting sqref="${range(i)}">${column.marks
          .map(
            (mark) =>
              `<cfRule type="expression" dxfId="${mark.as === 'missing' ? 0 : 1}" priority="${++priority}"><formula>${escapeMarkup(mark.formula)}</formula></cfRule>`,
          )
          .join('')}</conditionalFormatting>`;
    const validations = form.columns.flatMap((column, i) => (column.validation || column.prompt ? [validationXml(column, range(i))] : []));
    if (validations.length) xml += `<dataValidations count="${validations.length}">${validations.join('')}</dataValidations>`;
    // Suppresses warnings about numbers stored as text.
    xml += `<ignoredErrors><ignoredError sqref="${all}" numberStoredAsText="1"/></ignoredErrors>${this.pictures.length ? '<drawing r:id="rId1"/>' : ''}</worksheet>`;
    this.write(xml);
    this.finish();
    if (this.pictures.length) this.drawPictures(this.sheets.length + 1);
    this.sheets.push({
      name: form.name,
      hidden: form.hidden ?? false,
      filter: form.filter ? `${quoteSheet(form.name)}!$A$1:$${columnLetters(Math.max(form.columns.length - 1, 0))}$${last}` : null,
    });
    this.form = null;
  }

  /** Writes pictures anchored in cells (ECMA-376 part 1, 20.5). */
  private drawPictures(sheet: number): void {
    this.drawn.add(sheet);
    const numbers = this.pictures.map(({ picture }) => {
      const known = this.media.get(picture.png);
      if (known !== undefined) return known;
      const number = this.media.size + 1;
      this.media.set(picture.png, number);
      this.begin(`xl/media/image${number}.png`);
      this.part!.push(picture.png, true);
      this.part = null;
      return number;
    });
    const own = [...new Set(numbers)];
    this.whole(`xl/worksheets/_rels/sheet${sheet}.xml.rels`, relations([relation('rId1', `${RELATIONS}/drawing`, `../drawings/drawing${sheet}.xml`)]));
    this.whole(
      `xl/drawings/_rels/drawing${sheet}.xml.rels`,
      relations(own.map((number) => relation(`rId${number}`, `${RELATIONS}/image`, `../media/image${number}.png`))),
    );
    const drawing = 'http://schemas.openxmlformats.org/drawingml/2006';
    const anchors = this.pictures.map(
      ({ row, picture: { column, width, height } }, i) =>
        `<xdr:oneCellAnchor><xdr:from><xdr:col>${column}</xdr:col><xdr:colOff>${2 * EMU}</xdr:colOff><xdr:row>${row - 1}</xdr:row><xdr:rowOff>${2 * EMU}</xdr:rowOff></xdr:from><xdr:ext cx="${width * EMU}" cy="${height * EMU}"/><xdr:pic><xdr:nvPicPr><xdr:cNvPr id="${i + 1}" name="Picture ${i + 1}"/><xdr:cNvPicPr/></xdr:nvPicPr><xdr:blipFill><a:blip r:embed="rId${numbers[i]}"/><a:stretch><a:fillRect/></a:stretch></xdr:blipFill><xdr:spPr><a:xfrm><a:off x="0" y="0"/><a:ext cx="${width * EMU}" cy="${height * EMU}"/></a:xfrm><a:prstGeom prst="rect"><a:avLst/></a:prstGeom></xdr:spPr></xdr:pic><xdr:clientData/></xdr:oneCellAnchor>`,
    );
    this.whole(
      `xl/drawings/drawing${sheet}.xml`,
      `${XML}<xdr:wsDr xmlns:xdr="${drawing}/spreadsheetDrawing" xmlns:a="${drawing}/main" xmlns:r="${RELATIONS}">${anchors.join('')}</xdr:wsDr>`,
    );
  }

  /** Finishes the workbook. */
  end(): void {
    const names = this.sheets.flatMap(({ filter }, i) =>
      filter ? [`<definedName name="_xlnm._FilterDatabase" localSheetId="${i}" hidden="1">${escapeMarkup(filter)}</definedName>`] : [],
    );
    this.whole(
      'xl/workbook.xml',
      `${XML}<workbook xmlns="${MAIN}" xmlns:r="${RELATIONS}"><workbookPr/><bookViews><workbookView/></bookViews><sheets>${this.sheets
        .map(({ name, hidden }, i) => `<sheet name="${escapeMarkup(name)}" sheetId="${i + 1}"${hidden ? ' state="hidden"' : ''} r:id="rId${i + 1}"/>`)
        .join('')}</sheets>${names.length ? `<definedNames>${names.join('')}</definedNames>` : ''}</workbook>`,
    );
    this.whole(
      'xl/_rels/workbook.xml.rels',
      relations([
        ...this.sheets.map((_, i) => relation(`rId${i + 1}`, `${RELATIONS}/worksheet`, `worksheets/sheet${i + 1}.xml`)),
        relation('rIdStyles', `${RELATIONS}/styles`, 'styles.xml'),
      ]),
    );
    this.whole('xl/styles.xml', this.stylesXml());
    this.whole(
      'docProps/custom.xml',
      `${XML}<Properties xmlns="http://schemas.openxmlformats.org/officeDocument/2006/custom-properties" xmlns:vt="http://schemas.openxmlformats.org/officeDocument/2006/docPropsVTypes">${Object.entries(
        this.properties,
      )
        .map(
          ([name, value], i) =>
            `<property fmtid="{D5CDD505-2E9C-101B-9397-08002B2CF9AE}" pid="${i + 2}" name="${escapeMarkup(name)}"><vt:lpwstr>${escapeMarkup(escapeX(value))}</vt:lpwstr></property>`,
        )
        .join('')}</Properties>`,
    );
    this.whole(
      '_rels/.rels',
      relations([
        relation('rId1', `${RELATIONS}/officeDocument`, 'xl/workbook.xml'),
        relation('rId2', `${RELATIONS}/custom-properties`, 'docProps/custom.xml'),
      ]),
    );
    const part = (name: string, type: string) => `<Override PartName="${name}" ContentType="application/vnd.openxmlformats-officedocument.${type}+xml"/>`;
    this.whole(
      '[Content_Types].xml',
      `${XML}<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/>${this.media.size ? '<Default Extension="png" ContentType="image/png"/>' : ''}${[...this.drawn].map((sheet) => part(`/xl/drawings/drawing${sheet}.xml`, 'drawing')).join('')}${part('/xl/workbook.xml', 'spreadsheetml.sheet.main')}${this.sheets
        .map((_, i) => part(`/xl/worksheets/sheet${i + 1}.xml`, 'spreadsheetml.worksheet'))
        .join('')}${part('/xl/styles.xml', 'spreadsheetml.styles')}${part('/docProps/custom.xml', 'custom-properties')}</Types>`,
    );
    this.zip.end();
  }

  private stylesXml(): string {
    const formats = [...new Set(this.looks.map((look) => look.format))].filter((format) => format !== 'General' && format !== '@');
    const numberOf = (format: string) => (format === 'General' ? 0 : format === '@' ? 49 : 164 + formats.indexOf(format));
    const font = { plain: 0, lines: 0, off: 1, header: 2, title: 3 };
    const fill = { plain: 0, lines: 0, off: 2, header: 3, title: 0 };
    return `${XML}<styleSheet xmlns="${MAIN}">${
      formats.length
        ? `<numFmts count="${formats.length}">${formats.map((format, i) => `<numFmt numFmtId="${164 + i}" formatCode="${escapeMarkup(format)}"/>`).join('')}</numFmts>`
        : ''
    }<fonts count="4"><font><sz val="11"/><name val="Calibri"/></font><font><sz val="11"/><color rgb="FF6B6B63"/><name val="Calibri"/></font><font><b/><sz val="11"/><color rgb="FF1C2733"/><name val="Calibri"/></font><font><b/><sz val="14"/><name val="Calibri"/></font></fonts><fills count="4"><fill><patternFill patternType="none"/></fill><fill><patternFill patternType="gray125"/></fill><fill><patternFill patternType="solid"><fgColor rgb="FFEFECE4"/></patternFill></fill><fill><patternFill patternType="solid"><fgColor rgb="FFE2EFEC"/></patternFill></fill></fills><borders count="1"><border><left/><right/><top/><bottom/><diagonal/></border></borders><cellStyleXfs count="1"><xf numFmtId="0" fontId="0" fillId="0" borderId="0"/></cellStyleXfs><cellXfs count="${this.looks.length}">${this.looks
      .map(
        ({ format, locked, look }) =>
          `<xf numFmtId="${numberOf(format)}" fontId="${font[look]}" fillId="${fill[look]}" borderId="0" xfId="0" applyNumberFormat="1" applyFont="1" applyFill="1" applyProtection="1"${look === 'lines' ? ' applyAlignment="1"><alignment vertical="top" wrapText="1"/>' : '>'}<protection locked="${locked ? 1 : 0}"/></xf>`,
      )
      .join(
        '',
      )}</cellXfs><cellStyles count="1"><cellStyle name="Normal" xfId="0" builtinId="0"/></cellStyles><dxfs count="2"><dxf><fill><patternFill patternType="solid"><fgColor rgb="FFF6E3B4"/><bgColor rgb="FFF6E3B4"/></patternFill></fill></dxf><dxf><font><color rgb="FF9C2A16"/></font><fill><patternFill patternType="solid"><fgColor rgb="FFFAE1DB"/><bgColor rgb="FFFAE1DB"/></patternFill></fill></dxf></dxfs></styleSheet>`;
  }
}

const relation = (id: string, type: string, target: string) => `<Relationship Id="${id}" Type="${type}" Target="${target}"/>`;
const relations = (list: readonly string[]) =>
  `${XML}<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">${list.join('')}</Relationships>`;

/** A sheet name in formulas. */
export const quoteSheet = (name: string): string => `'${name.replaceAll("'", "''")}'`;

/** Maximum length of hint titles and texts (ECMA-376 part 1, 18.3.1.32). */
const LONGEST_PROMPT_TITLE = 32;
const LONGEST_PROMPT = 255;

function validationXml(column: SheetColumn, range: string): string {
  const validation = column.validation ?? { type: 'any' as const };
  const prompt = column.prompt
    ? ` showInputMessage="1" promptTitle="${escapeMarkup(escapeX(column.prompt.title.slice(0, LONGEST_PROMPT_TITLE)))}" prompt="${escapeMarkup(escapeX(column.prompt.text.slice(0, LONGEST_PROMPT)))}"`
    : '';
  if (validation.type === 'any') return `<dataValidation type="none" allowBlank="1"${prompt} sqref="${range}"/>`;
  const error = ` showErrorMessage="1" errorStyle="${validation.type === 'list' && validation.open ? 'information' : 'stop'}" errorTitle="${escapeMarkup(escapeX(column.header.slice(0, LONGEST_PROMPT_TITLE)))}"`;
  if (validation.type === 'list')
    return `<dataValidation type="list" allowBlank="1"${error}${prompt} sqref="${range}"><formula1>${escapeMarkup(validation.formula)}</formula1></dataValidation>`;
  return `<dataValidation type="${validation.type}" operator="${validation.operator}" allowBlank="1"${error}${prompt} sqref="${range}">${validation.formulas
    .map((formula, i) => `<formula${i + 1}>${escapeMarkup(formula)}</formula${i + 1}>`)
    .join('')}</dataValidation>`;
}
