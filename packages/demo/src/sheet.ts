/** Writes DXF drawings of version AC1032: an ISO sheet with frame and title block in paper space, outlines in model space. */

/** Trimmed sizes of ISO 5457 sheets in millimetres, landscape except A4, and the inch sheet B, 17 by 11 inches (from memory). */
export const SHEETS = { A2: [594, 420], A3: [420, 297], A4: [210, 297], B: [431.8, 279.4] } as const;

const INCH = 25.4;

type Pair = readonly [number, string | number];

/** A closed outline or circle of the view, in model millimetres. */
export type Outline = { readonly rect: readonly [number, number, number, number] } | { readonly circle: readonly [number, number, number] };

/** What a demo drawing holds. */
export interface DemoSheet {
  readonly size: keyof typeof SHEETS;
  readonly properties: Readonly<Record<string, string>>;
  readonly cells: Readonly<Record<string, string>>;
  readonly outlines: readonly Outline[];
  /** Drawing scale as a factor: 0.5 is 1:2. */
  readonly scale: number;
  readonly savedBy: string;
  /** Title block; the company's own when nothing is said. */
  readonly block?: string;
}

/** One field of the title block: its box in block millimetres, label, lettering height. */
interface Field {
  readonly tag: string;
  readonly label: string;
  readonly prompt: string;
  readonly box: readonly [number, number, number, number];
  readonly height: number;
}

export const BLOCK = 'MRW-TITLE';

/** The block is 180 mm wide (ISO 7200); lettering heights are of ISO 3098's series 2.5, 3.5, 5 mm (from memory). */
const FIELDS: readonly Field[] = [
  { tag: 'OWNER', label: 'Legal owner', prompt: 'Legal owner', box: [0, 36, 60, 12], height: 3.5 },
  { tag: 'MATL', label: 'Material', prompt: 'Material of the part', box: [60, 36, 45, 12], height: 3.5 },
  { tag: 'FINISH', label: 'Finish', prompt: 'Surface finish', box: [105, 36, 45, 12], height: 2.5 },
  { tag: 'MASS', label: 'Mass', prompt: 'Mass in kg', box: [150, 36, 30, 12], height: 3.5 },
  { tag: 'DRAWN', label: 'Creator', prompt: 'Drawn by', box: [0, 24, 60, 12], height: 3.5 },
  { tag: 'DATE', label: 'Date of issue', prompt: 'Date of issue', box: [60, 24, 45, 12], height: 3.5 },
  { tag: 'SCALE', label: 'Scale', prompt: 'Main scale', box: [105, 24, 45, 12], height: 3.5 },
  { tag: 'SHEET', label: 'Sheet', prompt: 'Sheet number', box: [150, 24, 30, 12], height: 3.5 },
  { tag: 'TITLE', label: 'Title', prompt: 'Title', box: [0, 0, 105, 24], height: 5 },
  { tag: 'PARTNO', label: 'Identification number', prompt: 'Identification number', box: [105, 0, 55, 24], height: 5 },
  { tag: 'REV', label: 'Revision', prompt: 'Revision index', box: [160, 0, 20, 24], height: 5 },
];

/** The title block that the DR-5's drawings came with: other tags, no boxes for finish and mass. */
const FOREIGN_FIELDS: readonly Field[] = [
  { tag: 'NAME', label: 'Name', prompt: 'Name of part', box: [0, 0, 90, 16], height: 3.5 },
  { tag: 'DWGNO', label: 'Drawing no.', prompt: 'Drawing number', box: [90, 0, 40, 16], height: 3.5 },
  { tag: 'REV', label: 'Rev', prompt: 'Revision', box: [130, 0, 20, 16], height: 3.5 },
  { tag: 'MAT', label: 'Material', prompt: 'Material', box: [0, 16, 60, 12], height: 2.5 },
  { tag: 'DRN', label: 'Drawn', prompt: 'Drawn by', box: [60, 16, 45, 12], height: 2.5 },
  { tag: 'DATE', label: 'Date', prompt: 'Date', box: [105, 16, 45, 12], height: 2.5 },
];

interface BlockForm {
  readonly name: string;
  readonly fields: readonly Field[];
  readonly width: number;
  readonly height: number;
  readonly lines: readonly (readonly [number, number, number, number])[];
}

const FORMS: Readonly<Record<string, BlockForm>> = {
  [BLOCK]: {
    name: BLOCK,
    fields: FIELDS,
    width: 180,
    height: 48,
    lines: [
      [0, 24, 180, 24],
      [0, 36, 180, 36],
      [60, 24, 60, 48],
      [105, 0, 105, 48],
      [150, 24, 150, 48],
      [160, 0, 160, 24],
    ],
  },
  'FT-BLOCK': {
    name: 'FT-BLOCK',
    fields: FOREIGN_FIELDS,
    width: 150,
    height: 28,
    lines: [
      [0, 16, 150, 16],
      [90, 0, 90, 16],
      [130, 0, 130, 16],
      [60, 16, 60, 28],
      [105, 16, 105, 28],
    ],
  },
};

/** Builds the group pairs of a drawing with handles and owners. */
class Dxf {
  private readonly lines: string[] = [];
  private last = 0x20;
  /** Lengths are divided by this while entities are written. */
  unit = 1;
  handle(): string {
    return (++this.last).toString(16).toUpperCase();
  }
  get seed(): string {
    return (this.last + 1).toString(16).toUpperCase();
  }
  put(...pairs: readonly Pair[]): void {
    for (const [code, value] of pairs)
      this.lines.push(
        String(code).padStart(3),
        typeof value === 'number' && code >= 10 && code < 60 ? decimal(isLength(code) ? value / this.unit : value) : String(value),
      );
  }
  text(): string {
    return `${this.lines.join('\r\n')}\r\n`;
  }
}

/** Group codes of coordinates, sizes and view heights among those that entities here use. */
const isLength = (code: number) => code < 42 || code === 45;

const decimal = (n: number) => (Number.isInteger(n) ? `${n}.0` : String(Math.round(n * 1e6) / 1e6));

const MODEL = '1F';
const PAPER = '1B';

/** Writes one drawing. */
export function writeSheet(sheet: DemoSheet): Uint8Array {
  const body = new Dxf();
  const [width, height] = SHEETS[sheet.size];
  const form = FORMS[sheet.block ?? BLOCK]!;
  const inches = sheet.size === 'B';
  tables(body, form);
  body.unit = inches ? INCH : 1;
  blocks(body, form);
  entities(body, sheet, form, width, height);
  body.unit = 1;
  objects(body);
  const head = new Dxf();
  head.put([0, 'SECTION'], [2, 'HEADER']);
  head.put([9, '$ACADVER'], [1, 'AC1032'], [9, '$DWGCODEPAGE'], [3, 'ANSI_1252'], [9, '$LASTSAVEDBY'], [1, sheet.savedBy]);
  head.put([9, '$INSBASE'], [10, 0], [20, 0], [30, 0], [9, '$EXTMIN'], [10, 0], [20, 0], [30, 0], [9, '$EXTMAX'], [10, width], [20, height], [30, 0]);
  head.put([9, '$INSUNITS'], [70, inches ? 1 : 4], [9, '$MEASUREMENT'], [70, inches ? 0 : 1], [9, '$HANDSEED'], [5, body.seed]);
  for (const [name, value] of Object.entries(sheet.properties)) head.put([9, '$CUSTOMPROPERTYTAG'], [1, name], [9, '$CUSTOMPROPERTY'], [1, value]);
  head.put([0, 'ENDSEC']);
  return new TextEncoder().encode(head.text() + body.text());
}

function table(d: Dxf, name: string, records: readonly (() => readonly Pair[])[], extra: readonly Pair[] = []): void {
  d.put([0, 'TABLE'], [2, name], [5, d.handle()], [330, '0'], [100, 'AcDbSymbolTable'], [70, records.length], ...extra);
  for (const record of records) d.put(...record());
  d.put([0, 'ENDTAB']);
}

function tables(d: Dxf, form: BlockForm): void {
  d.put([0, 'SECTION'], [2, 'TABLES']);
  const record =
    (type: string, subclass: string, name: string, ...more: readonly Pair[]) =>
    () =>
      [[0, type], [5, d.handle()], [330, '0'], [100, 'AcDbSymbolTableRecord'], [100, subclass], [2, name], [70, 0], ...more] as const;
  const lineType = (name: string, text: string) => record('LTYPE', 'AcDbLinetypeTableRecord', name, [3, text], [72, 65], [73, 0], [40, 0]);
  table(d, 'VPORT', []);
  table(d, 'LTYPE', [lineType('ByBlock', ''), lineType('ByLayer', ''), lineType('Continuous', 'Solid line')]);
  const layer = (name: string, colour: number) => record('LAYER', 'AcDbLayerTableRecord', name, [62, colour], [6, 'Continuous'], [370, -3], [390, 'F']);
  table(d, 'LAYER', [layer('0', 7), layer('SHEET', 7), layer('VIEW', 7)]);
  table(d, 'STYLE', [record('STYLE', 'AcDbTextStyleTableRecord', 'Standard', [40, 0], [41, 1], [50, 0], [71, 0], [42, 2.5], [3, 'iso3098.shx'], [4, ''])]);
  table(d, 'VIEW', []);
  table(d, 'UCS', []);
  table(d, 'APPID', [record('APPID', 'AcDbRegAppTableRecord', 'ACAD')]);
  table(d, 'DIMSTYLE', [], [[100, 'AcDbDimStyleTable']]);
  const blockRecord = (name: string, handle: string) => () =>
    [
      [0, 'BLOCK_RECORD'],
      [5, handle],
      [330, '0'],
      [100, 'AcDbSymbolTableRecord'],
      [100, 'AcDbBlockTableRecord'],
      [2, name],
      [70, 0],
      [280, 1],
      [281, 0],
    ] as const;
  table(d, 'BLOCK_RECORD', [blockRecord('*Model_Space', MODEL), blockRecord('*Paper_Space', PAPER), blockRecord(form.name, '1E')]);
  d.put([0, 'ENDSEC']);
}

const entity = (d: Dxf, type: string, owner: string, layer: string, subclass: string, paper: boolean): readonly Pair[] => [
  [0, type],
  [5, d.handle()],
  [330, owner],
  [100, 'AcDbEntity'],
  ...(paper ? ([[67, 1]] as const) : []),
  [8, layer],
  [100, subclass],
];

function line(d: Dxf, owner: string, layer: string, paper: boolean, x1: number, y1: number, x2: number, y2: number): void {
  d.put(...entity(d, 'LINE', owner, layer, 'AcDbLine', paper), [10, x1], [20, y1], [30, 0], [11, x2], [21, y2], [31, 0]);
}

function rectangle(d: Dxf, owner: string, layer: string, paper: boolean, [x, y, w, h]: readonly [number, number, number, number]): void {
  d.put(...entity(d, 'LWPOLYLINE', owner, layer, 'AcDbPolyline', paper), [90, 4], [70, 1]);
  for (const [px, py] of [
    [x, y],
    [x + w, y],
    [x + w, y + h],
    [x, y + h],
  ] as const)
    d.put([10, px], [20, py]);
}

const INSIDE = 1.5;
const cellAt = ({ box: [x, y] }: Field, oy = 0, ox = 0) => [x + INSIDE + ox, y + INSIDE + 1 + oy] as const;

function blocks(d: Dxf, form: BlockForm): void {
  d.put([0, 'SECTION'], [2, 'BLOCKS']);
  const block = (name: string, owner: string, paper: boolean, inside: () => void) => {
    const both: readonly Pair[] = [[330, owner], [100, 'AcDbEntity'], ...(paper ? ([[67, 1]] as const) : []), [8, '0']];
    d.put(
      [0, 'BLOCK'],
      [5, d.handle()],
      ...both,
      [100, 'AcDbBlockBegin'],
      [2, name],
      [70, name === form.name ? 2 : 0],
      [10, 0],
      [20, 0],
      [30, 0],
      [3, name],
      [1, ''],
    );
    inside();
    d.put([0, 'ENDBLK'], [5, d.handle()], ...both, [100, 'AcDbBlockEnd']);
  };
  block('*Model_Space', MODEL, false, () => undefined);
  block('*Paper_Space', PAPER, true, () => undefined);
  block(form.name, '1E', false, () => {
    rectangle(d, '1E', 'SHEET', false, [0, 0, form.width, form.height]);
    for (const [x1, y1, x2, y2] of form.lines) line(d, '1E', 'SHEET', false, x1, y1, x2, y2);
    for (const { label, box } of form.fields)
      d.put(
        ...entity(d, 'TEXT', '1E', 'SHEET', 'AcDbText', false),
        [10, box[0] + INSIDE],
        [20, box[1] + box[3] - 3.2],
        [30, 0],
        [40, 1.8],
        [1, label],
        [100, 'AcDbText'],
      );
    for (const field of form.fields) {
      const [x, y] = cellAt(field);
      d.put(...entity(d, 'ATTDEF', '1E', 'SHEET', 'AcDbText', false), [10, x], [20, y], [30, 0], [40, field.height], [1, '']);
      d.put([100, 'AcDbAttributeDefinition'], [280, 0], [3, field.prompt], [2, field.tag], [70, 0]);
    }
  });

  d.put([0, 'ENDSEC']);
}

function entities(d: Dxf, sheet: DemoSheet, form: BlockForm, width: number, height: number): void {
  d.put([0, 'SECTION'], [2, 'ENTITIES']);
  for (const outline of sheet.outlines) {
    if ('rect' in outline) rectangle(d, MODEL, 'VIEW', false, outline.rect);
    else d.put(...entity(d, 'CIRCLE', MODEL, 'VIEW', 'AcDbCircle', false), [10, outline.circle[0]], [20, outline.circle[1]], [30, 0], [40, outline.circle[2]]);
  }
  const viewport = (id: number, x: number, y: number, w: number, h: number, viewHeight: number, cx: number, cy: number) =>
    d.put(
      ...entity(d, 'VIEWPORT', PAPER, 'SHEET', 'AcDbViewport', true),
      [10, x],
      [20, y],
      [30, 0],
      [40, w],
      [41, h],
      [68, id],
      [69, id],
      [12, cx],
      [22, cy],
      [13, 0],
      [23, 0],
      [14, 10],
      [24, 10],
      [15, 10],
      [25, 10],
      [16, 0],
      [26, 0],
      [36, 1],
      [17, 0],
      [27, 0],
      [37, 0],
      [42, 50],
      [43, 0],
      [44, 0],
      [45, viewHeight],
      [50, 0],
      [51, 0],
      [72, 1000],
      [90, 32864],
    );
  viewport(1, width / 2, height / 2, width, height, height, width / 2, height / 2);
  const viewWidth = width - 60;
  const viewHeight = height - 100;
  viewport(2, width / 2 + 5, height / 2 + 20, viewWidth, viewHeight, viewHeight / sheet.scale, 0, 0);
  // ISO 5457: 20 mm filing margin at the left, 10 mm elsewhere (from memory).
  rectangle(d, PAPER, 'SHEET', true, [20, 10, width - 30, height - 20]);
  const [ox, oy] = [width - 10 - form.width, 10];
  const insert = d.handle();
  d.put(
    [0, 'INSERT'],
    [5, insert],
    [330, PAPER],
    [100, 'AcDbEntity'],
    [67, 1],
    [8, 'SHEET'],
    [100, 'AcDbBlockReference'],
    [66, 1],
    [2, form.name],
    [10, ox],
    [20, oy],
    [30, 0],
  );
  for (const field of form.fields) {
    const [x, y] = cellAt(field, oy, ox);
    d.put(...entity(d, 'ATTRIB', insert, 'SHEET', 'AcDbText', true), [10, x], [20, y], [30, 0], [40, field.height], [1, sheet.cells[field.tag] ?? '']);
    d.put([100, 'AcDbAttribute'], [280, 0], [2, field.tag], [70, 0]);
  }
  d.put([0, 'SEQEND'], [5, d.handle()], [330, insert], [100, 'AcDbEntity'], [67, 1], [8, 'SHEET'], [0, 'ENDSEC']);
}

function objects(d: Dxf): void {
  const [root, groups, layouts, model, paper] = [d.handle(), d.handle(), d.handle(), d.handle(), d.handle()];
  d.put([0, 'SECTION'], [2, 'OBJECTS']);
  d.put([0, 'DICTIONARY'], [5, root], [330, '0'], [100, 'AcDbDictionary'], [281, 1], [3, 'ACAD_GROUP'], [350, groups], [3, 'ACAD_LAYOUT'], [350, layouts]);
  d.put([0, 'DICTIONARY'], [5, groups], [330, root], [100, 'AcDbDictionary'], [281, 1]);
  d.put([0, 'DICTIONARY'], [5, layouts], [330, root], [100, 'AcDbDictionary'], [281, 1], [3, 'Model'], [350, model], [3, 'Sheet 1'], [350, paper]);
  const layout = (handle: string, name: string, record: string, order: number) =>
    d.put(
      [0, 'LAYOUT'],
      [5, handle],
      [330, layouts],
      [100, 'AcDbPlotSettings'],
      [1, ''],
      [2, ''],
      [4, ''],
      [6, ''],
      [40, 0],
      [41, 0],
      [42, 0],
      [43, 0],
      [44, 0],
      [45, 0],
      [70, 0],
      [72, 1],
      [73, 0],
      [74, 5],
      [75, 16],
      [100, 'AcDbLayout'],
      [1, name],
      [70, 1],
      [71, order],
      [10, 0],
      [20, 0],
      [11, 420],
      [21, 297],
      [12, 0],
      [22, 0],
      [32, 0],
      [14, 0],
      [24, 0],
      [34, 0],
      [15, 420],
      [25, 297],
      [35, 0],
      [146, 0],
      [13, 0],
      [23, 0],
      [33, 0],
      [16, 1],
      [26, 0],
      [36, 0],
      [17, 0],
      [27, 1],
      [37, 0],
      [76, 0],
      [330, record],
    );
  layout(model, 'Model', MODEL, 0);
  layout(paper, 'Sheet 1', PAPER, 1);
  d.put([0, 'ENDSEC'], [0, 'EOF']);
}
