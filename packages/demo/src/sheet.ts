import { BlockReading, CellDefinition } from '@rule/core/files';
import { MoreBlocks, Outline, makeSheet } from '@rule/core/files/dxf';

/** Trimmed sizes of ISO 5457 sheets in millimetres, landscape except A4, and inch sheet B, 17 by 11 inches (from memory). */
export const SHEETS = { A2: [594, 420], A3: [420, 297], A4: [210, 297], B: [431.8, 279.4] } as const;

/** Content of a demo drawing. */
export interface DemoSheet {
  readonly size: keyof typeof SHEETS;
  readonly properties: Readonly<Record<string, string>>;
  readonly cells: Readonly<Record<string, string>>;
  readonly outlines: readonly Outline[];
  /** Scale factor: 0.5 is 1:2. */
  readonly scale: number;
  readonly savedBy: string;
  /** Title block; the company's by default. */
  readonly block?: string;
  /** A parts list above the title block, from the lowest row up, and item marks along the view's top, in millimetres. */
  readonly list?: { readonly rows: readonly (readonly string[])[]; readonly marks: readonly (readonly [number: string, x: number, y: number])[] };
}

/** A title block field: box in block millimetres, label, lettering height. */
interface Field {
  readonly tag: string;
  readonly label: string;
  readonly prompt: string;
  readonly box: readonly [number, number, number, number];
  readonly height: number;
}

export const BLOCK = 'MRW-TITLE';

/** The block is 180 mm wide (ISO 7200); lettering heights from ISO 3098's 2.5, 3.5, 5 mm (from memory). */
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

/** The DR-5's original title block: other tags, no finish or mass. */
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

const INSIDE = 1.5;

/** A block as readers return it. */
const blockOf = ({ name, fields, width, height, lines }: BlockForm): BlockReading => ({
  name,
  cells: fields.map(({ tag, prompt, box: [x, y], height: lettering }): CellDefinition => ({
    tag,
    prompt,
    preset: '',
    at: { x: x + INSIDE, y: y + INSIDE + 1 },
    height: lettering,
    widthFactor: 1,
    rotation: 0,
    align: 'left',
    valign: 'baseline',
    constant: false,
    multiline: false,
  })),
  shapes: [
    {
      shape: 'line',
      closed: true,
      points: [
        { x: 0, y: 0 },
        { x: width, y: 0 },
        { x: width, y: height },
        { x: 0, y: height },
      ],
    },
    ...lines.map(([x1, y1, x2, y2]) => ({
      shape: 'line' as const,
      closed: false,
      points: [
        { x: x1, y: y1 },
        { x: x2, y: y2 },
      ],
    })),
    ...fields
      .filter(({ label }) => label !== '')
      .map(({ label, box }) => ({
        shape: 'text' as const,
        at: { x: box[0] + INSIDE, y: box[1] + box[3] - 3.2 },
        text: label,
        height: 1.8,
        rotation: 0,
        align: 'left' as const,
      })),
  ],
});

/** Parts list rows, 180 mm wide like the title block. */
export const ROW_BLOCK = 'MRW-PART-ROW';
const ROW_HEIGHT = 7;
const ROW_FORM: BlockForm = {
  name: ROW_BLOCK,
  width: 180,
  height: ROW_HEIGHT,
  lines: [
    [12, 0, 12, ROW_HEIGHT],
    [24, 0, 24, ROW_HEIGHT],
    [64, 0, 64, ROW_HEIGHT],
    [145, 0, 145, ROW_HEIGHT],
  ],
  fields: [
    { tag: 'POS', label: '', prompt: 'Item', box: [0, -1, 12, 8], height: 3.5 },
    { tag: 'QTY', label: '', prompt: 'Quantity', box: [12, -1, 12, 8], height: 3.5 },
    { tag: 'PARTNO', label: '', prompt: 'Part number', box: [24, -1, 40, 8], height: 3.5 },
    { tag: 'DESCR', label: '', prompt: 'Description', box: [64, -1, 81, 8], height: 3.5 },
    { tag: 'MATL', label: '', prompt: 'Material', box: [145, -1, 35, 8], height: 3.5 },
  ],
};

/** Item marks: a number in a circle. */
export const MARK_BLOCK = 'MRW-MARK';
const MARK: BlockReading = {
  name: MARK_BLOCK,
  cells: [
    {
      tag: 'POS',
      prompt: 'Item',
      preset: '',
      at: { x: 0, y: 0 },
      height: 5,
      widthFactor: 1,
      rotation: 0,
      align: 'centre',
      valign: 'middle',
      constant: false,
      multiline: false,
    },
  ],
  shapes: [{ shape: 'circle', at: { x: 0, y: 0 }, radius: 7 }],
};

/** Placed parts list and marks of a sheet. */
function listOf({ rows, marks }: NonNullable<DemoSheet['list']>, width: number): MoreBlocks[] {
  const [corner, above] = [width - 190, 58];
  return [
    {
      block: blockOf(ROW_FORM),
      placed: rows.map((texts, i) => ({
        at: { x: corner, y: above + i * ROW_HEIGHT },
        cells: Object.fromEntries(ROW_FORM.fields.map(({ tag }, k) => [tag, texts[k] ?? ''])),
      })),
    },
    { block: MARK, placed: marks.map(([number, x, y]) => ({ at: { x, y }, cells: { POS: number } })) },
  ];
}

/** Writes a demo drawing. */
export function writeSheet({ size, block, list, ...sheet }: DemoSheet): Uint8Array {
  const [width, height] = SHEETS[size];
  return makeSheet({
    ...sheet,
    ...(list ? { more: listOf(list, width) } : {}),
    width,
    height,
    inches: size === 'B',
    block: blockOf(FORMS[block ?? BLOCK]!),
    blockUnit: 1,
  });
}
