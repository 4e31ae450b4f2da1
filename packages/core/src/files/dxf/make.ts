import { BlockReading, BlockShape, CellDefinition, Point } from '../contract';

/** Creates AC1032 drawings: frame and title block in paper space, outlines in model space. */

const INCH = 25.4;

type Pair = readonly [number, string | number];

/** A closed outline or circle of the view, in model millimetres. */
export type Outline = { readonly rect: readonly [number, number, number, number] } | { readonly circle: readonly [number, number, number] };

/** Content of a created drawing. */
export interface SheetPlan {
  /** Trimmed sheet size in millimetres. */
  readonly width: number;
  readonly height: number;
  /** Whether the unit is inches. */
  readonly inches: boolean;
  /** Title block in the lower right corner, if any. */
  readonly block: BlockReading | null;
  /** Millimetres per block unit. */
  readonly blockUnit: number;
  readonly properties: Readonly<Record<string, string>>;
  readonly cells: Readonly<Record<string, string>>;
  readonly outlines: readonly Outline[];
  /** Scale factor: 0.5 is 1:2. */
  readonly scale: number;
  readonly savedBy: string;
  /** Further blocks in millimetres with placements: list rows, item marks. */
  readonly more?: readonly MoreBlocks[];
}

/** A block with placements. */
export interface MoreBlocks {
  readonly block: BlockReading;
  readonly placed: readonly { readonly at: Point; readonly cells: Readonly<Record<string, string>> }[];
}

/** The same with its record's handle. */
interface OwnedBlock extends MoreBlocks {
  readonly owner: string;
}

/** Builds groups with handles and owners. */
class Dxf {
  private readonly lines: string[] = [];
  private last = 0x20;
  /** Lengths are divided by this. */
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

/** Shapes as entities. */
function drawShape(d: Dxf, shape: BlockShape, owner: string): void {
  if (shape.shape === 'circle')
    d.put(...entity(d, 'CIRCLE', owner, 'SHEET', 'AcDbCircle', false), [10, shape.at.x], [20, shape.at.y], [30, 0], [40, shape.radius]);
  else if (shape.shape === 'text')
    d.put(
      ...entity(d, 'TEXT', owner, 'SHEET', 'AcDbText', false),
      [10, shape.at.x],
      [20, shape.at.y],
      [30, 0],
      [40, shape.height],
      [1, shape.text],
      ...(shape.rotation === 0 ? [] : ([[50, shape.rotation]] as const)),
      ...(shape.align === 'left'
        ? []
        : ([
            [72, shape.align === 'centre' ? 1 : 2],
            [11, shape.at.x],
            [21, shape.at.y],
            [31, 0],
          ] as const)),
      [100, 'AcDbText'],
    );
  else if (!shape.closed && shape.points.length === 2) {
    const [from, to] = shape.points as [{ x: number; y: number }, { x: number; y: number }];
    line(d, owner, 'SHEET', false, from.x, from.y, to.x, to.y);
  } else {
    d.put(...entity(d, 'LWPOLYLINE', owner, 'SHEET', 'AcDbPolyline', false), [90, shape.points.length], [70, shape.closed ? 1 : 0]);
    for (const { x, y } of shape.points) d.put([10, x], [20, y]);
  }
}

/** Codes of lengths; the layout's paper stays in millimetres. */
const isLength = (code: number) => code < 42 || code === 45;

const decimal = (n: number) => (Number.isInteger(n) ? `${n}.0` : String(Math.round(n * 1e6) / 1e6));

const FORM = '1E';
const MODEL = '1F';
const PAPER = '1B';

/** Creates a drawing. Names and texts must not contain line breaks. */
export function makeSheet(sheet: SheetPlan): Uint8Array {
  const body = new Dxf();
  const { width, height, inches } = sheet;
  const block = sheet.block && inMillimetres(sheet.block, sheet.blockUnit);
  const more = (sheet.more ?? []).map((own): OwnedBlock => ({ ...own, owner: body.handle() }));
  tables(body, block, more);
  body.unit = inches ? INCH : 1;
  blocks(body, block, more);
  entities(body, sheet, block, more, width, height);
  body.unit = 1;
  objects(body, width, height, inches);
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

function tables(d: Dxf, form: BlockReading | null, more: readonly OwnedBlock[]): void {
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
  table(d, 'BLOCK_RECORD', [
    blockRecord('*Model_Space', MODEL),
    blockRecord('*Paper_Space', PAPER),
    ...(form ? [blockRecord(form.name, FORM)] : []),
    ...more.map((own) => blockRecord(own.block.name, own.owner)),
  ]);
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

/** Alignment codes, if not left baseline. */
const alignment = ({ at, align, valign, rotation, widthFactor }: CellDefinition, ox = 0, oy = 0): readonly Pair[] => {
  const across = { left: 0, centre: 1, right: 2 }[align];
  const up = { baseline: 0, bottom: 1, middle: 2, top: 3 }[valign];
  return [
    ...(widthFactor === 1 ? [] : ([[41, String(widthFactor)]] as const)),
    ...(rotation === 0 ? [] : ([[50, rotation]] as const)),
    ...(across || up
      ? ([
          [72, across],
          [11, at.x + ox],
          [21, at.y + oy],
          [31, 0],
        ] as const)
      : []),
  ];
};
const vertical = ({ align, valign }: CellDefinition): readonly Pair[] => {
  const up = { baseline: 0, bottom: 1, middle: 2, top: 3 }[valign];
  return align !== 'left' || up ? [[74, up]] : [];
};

/** Scales a block to millimetres, with its corner at the origin. */
function inMillimetres(block: BlockReading, unit: number): BlockReading {
  const box = boxOf(block);
  const point = ({ x, y }: { readonly x: number; readonly y: number }) => ({ x: (x - box.x) * unit, y: (y - box.y) * unit });
  return {
    ...block,
    cells: block.cells.map((cell) => ({ ...cell, at: point(cell.at), height: cell.height * unit })),
    shapes: block.shapes.map((shape): BlockShape => {
      if (shape.shape === 'line') return { ...shape, points: shape.points.map(point) };
      if (shape.shape === 'circle') return { ...shape, at: point(shape.at), radius: shape.radius * unit };
      return { ...shape, at: point(shape.at), height: shape.height * unit };
    }),
  };
}

/** Bounding box of a block. */
export function boxOf({ cells, shapes }: Pick<BlockReading, 'cells' | 'shapes'>): {
  readonly x: number;
  readonly y: number;
  readonly width: number;
  readonly height: number;
} {
  const points = [
    ...shapes.flatMap((shape) =>
      shape.shape === 'line'
        ? shape.points
        : shape.shape === 'circle'
          ? [
              { x: shape.at.x - shape.radius, y: shape.at.y - shape.radius },
              { x: shape.at.x + shape.radius, y: shape.at.y + shape.radius },
            ]
          : [shape.at],
    ),
    ...cells.map((cell) => cell.at),
  ];
  if (points.length === 0) return { x: 0, y: 0, width: 0, height: 0 };
  const [left, low] = [Math.min(...points.map((p) => p.x)), Math.min(...points.map((p) => p.y))];
  return { x: left, y: low, width: Math.max(...points.map((p) => p.x)) - left, height: Math.max(...points.map((p) => p.y)) - low };
}

function blocks(d: Dxf, form: BlockReading | null, more: readonly OwnedBlock[]): void {
  d.put([0, 'SECTION'], [2, 'BLOCKS']);
  const block = (name: string, owner: string, paper: boolean, inside: () => void) => {
    const both: readonly Pair[] = [[330, owner], [100, 'AcDbEntity'], ...(paper ? ([[67, 1]] as const) : []), [8, '0']];
    d.put(
      [0, 'BLOCK'],
      [5, d.handle()],
      ...both,
      [100, 'AcDbBlockBegin'],
      [2, name],
      [70, name.startsWith('*') ? 0 : 2],
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
  const defined = ({ name, shapes, cells }: BlockReading, owner: string) =>
    block(name, owner, false, () => {
      for (const shape of shapes) drawShape(d, shape, owner);
      for (const cell of cells) {
        d.put(...entity(d, 'ATTDEF', owner, 'SHEET', 'AcDbText', false), [10, cell.at.x], [20, cell.at.y], [30, 0], [40, cell.height], [1, cell.preset]);
        d.put(...alignment(cell), [100, 'AcDbAttributeDefinition'], [280, 0], [3, cell.prompt], [2, cell.tag], [70, cell.constant ? 2 : 0], ...vertical(cell));
      }
    });
  if (form) defined(form, FORM);
  for (const own of more) defined(own.block, own.owner);
  d.put([0, 'ENDSEC']);
}

function entities(d: Dxf, sheet: SheetPlan, form: BlockReading | null, more: readonly OwnedBlock[], width: number, height: number): void {
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
  // ISO 5457: 20 mm filing margin on the left, 10 mm elsewhere (from memory).
  rectangle(d, PAPER, 'SHEET', true, [20, 10, width - 30, height - 20]);
  if (form) title(d, form, sheet.cells, width - 10 - boxOf(form).width, 10);
  for (const { block, placed } of more) for (const { at, cells } of placed) title(d, block, cells, at.x, at.y);
  d.put([0, 'ENDSEC']);
}

/** Places a block with cells. */
function title(d: Dxf, form: BlockReading, cells: SheetPlan['cells'], ox: number, oy: number): void {
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
  for (const cell of form.cells.filter(({ constant }) => !constant)) {
    const { at } = cell;
    d.put(...entity(d, 'ATTRIB', insert, 'SHEET', 'AcDbText', true), [10, at.x + ox], [20, at.y + oy], [30, 0], [40, cell.height], [1, cells[cell.tag] ?? '']);
    d.put(...alignment(cell, ox, oy), [100, 'AcDbAttribute'], [280, 0], [2, cell.tag], [70, 0], ...vertical(cell));
  }
  d.put([0, 'SEQEND'], [5, d.handle()], [330, insert], [100, 'AcDbEntity'], [67, 1], [8, 'SHEET']);
}

function objects(d: Dxf, width: number, height: number, inches: boolean): void {
  const [root, groups, layouts, model, paper] = [d.handle(), d.handle(), d.handle(), d.handle(), d.handle()];
  d.put([0, 'SECTION'], [2, 'OBJECTS']);
  d.put([0, 'DICTIONARY'], [5, root], [330, '0'], [100, 'AcDbDictionary'], [281, 1], [3, 'ACAD_GROUP'], [350, groups], [3, 'ACAD_LAYOUT'], [350, layouts]);
  d.put([0, 'DICTIONARY'], [5, groups], [330, root], [100, 'AcDbDictionary'], [281, 1]);
  d.put([0, 'DICTIONARY'], [5, layouts], [330, root], [100, 'AcDbDictionary'], [281, 1], [3, 'Model'], [350, model], [3, 'Sheet 1'], [350, paper]);
  const layout = (handle: string, name: string, record: string, order: number, size: readonly [number, number]) =>
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
      [44, size[0]],
      [45, size[1]],
      [70, 0],
      [72, inches ? 0 : 1],
      [73, 0],
      [74, 5],
      [75, 16],
      [100, 'AcDbLayout'],
      [1, name],
      [70, 1],
      [71, order],
      [10, 0],
      [20, 0],
      [11, size[0]],
      [21, size[1]],
      [12, 0],
      [22, 0],
      [32, 0],
      [14, 0],
      [24, 0],
      [34, 0],
      [15, size[0]],
      [25, size[1]],
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
  layout(model, 'Model', MODEL, 0, [0, 0]);
  layout(paper, 'Sheet 1', PAPER, 1, [width, height]);
  d.put([0, 'ENDSEC'], [0, 'EOF']);
}
