/** Drawings of two sites as received from their installers: old versions, inches and millimetres, other blocks, plain texts. */

type Pair = readonly [code: number, value: string | number];
type At = readonly [x: number, y: number];

/** A text with its height in drawing units. */
interface Text {
  readonly at: At;
  readonly text: string;
  readonly height: number;
}

/** A block's cell: text position and content. */
interface Cell extends Text {
  readonly tag: string;
  readonly prompt: string;
}

interface Plan {
  readonly path: string;
  readonly inches: boolean;
  readonly lines: readonly (readonly At[])[];
  readonly texts: readonly Text[];
  /** Room outlines in the model, each with its label: name and area as the installer wrote them. */
  readonly rooms?: readonly { readonly corners: readonly At[]; readonly name: string; readonly area: string }[];
  /** The view of the model on the sheet. */
  readonly view?: { readonly at: At; readonly size: At; readonly centre: At; readonly seen: number };
  readonly block?: {
    readonly name: string;
    readonly at: At;
    readonly lines: readonly (readonly At[])[];
    readonly captions: readonly Text[];
    readonly cells: readonly Cell[];
  };
}

const number = (n: number): string => (Number.isInteger(n) ? n.toFixed(1) : String(Number(n.toPrecision(9))));
const points = (code: number, [x, y]: At): Pair[] => [
  [code, number(x)],
  [code + 10, number(y)],
  [code + 20, '0.0'],
];

const line = (corners: readonly At[], layer: string, paper: boolean): Pair[] =>
  corners.slice(1).flatMap((to, i): Pair[] => [[0, 'LINE'], [8, layer], ...(paper ? ([[67, 1]] as const) : []), ...points(10, corners[i]!), ...points(11, to)]);

const text = ({ at, text: words, height }: Text, layer: string, paper: boolean): Pair[] => [
  [0, 'TEXT'],
  [8, layer],
  ...(paper ? ([[67, 1]] as const) : []),
  ...points(10, at),
  [40, number(height)],
  [1, words],
  [7, 'SITE'],
];

const outline = (corners: readonly At[]): Pair[] => [
  [0, 'POLYLINE'],
  [8, 'ROOMS'],
  [66, 1],
  ...points(10, [0, 0]),
  [70, 1],
  ...corners.flatMap((corner): Pair[] => [[0, 'VERTEX'], [8, 'ROOMS'], ...points(10, corner)]),
  [0, 'SEQEND'],
  [8, 'ROOMS'],
];

const ROOM_LABEL = 'ROOM-LABEL';
/** Cells of a room's label, from its middle, in millimetres of the model. */
const ROOM_CELLS = [
  { tag: 'ROOM', prompt: 'Name of the room', at: [-1600, 100], height: 250 },
  { tag: 'AREA', prompt: 'Area', at: [-1600, -350], height: 250 },
] as const;

const definition = (name: string, lines: Pair[], cells: readonly Omit<Cell, 'text'>[]): Pair[] => [
  [0, 'BLOCK'],
  [8, '0'],
  [2, name],
  [70, 2],
  ...points(10, [0, 0]),
  [3, name],
  ...lines,
  ...cells.flatMap(({ tag, prompt, at, height }): Pair[] => [
    [0, 'ATTDEF'],
    [8, '0'],
    ...points(10, at),
    [40, number(height)],
    [1, ''],
    [3, prompt],
    [2, tag],
    [70, 0],
    [7, 'SITE'],
  ]),
  [0, 'ENDBLK'],
  [8, '0'],
];

const insert = (name: string, at: At, cells: readonly Cell[], paper: boolean): Pair[] => {
  const own: readonly Pair[] = paper ? [[67, 1]] : [];
  return [
    [0, 'INSERT'],
    [8, '0'],
    ...own,
    [66, 1],
    [2, name],
    ...points(10, at),
    ...cells.flatMap(({ tag, at: [x, y], height, text: words }): Pair[] => [
      [0, 'ATTRIB'],
      [8, '0'],
      ...own,
      ...points(10, [at[0] + x, at[1] + y]),
      [40, number(height)],
      [1, words],
      [2, tag],
      [70, 0],
      [7, 'SITE'],
    ]),
    [0, 'SEQEND'],
    [8, '0'],
    ...own,
  ];
};

/** A view of the model from above, in the extended data of AC1009. */
const viewport = ({ at, size, centre, seen }: NonNullable<Plan['view']>): Pair[] => [
  [0, 'VIEWPORT'],
  [8, '0'],
  [67, 1],
  ...points(10, at),
  [40, number(size[0])],
  [41, number(size[1])],
  [68, 2],
  [69, 2],
  [1001, 'ACAD'],
  [1000, 'MVIEW'],
  [1002, '{'],
  [1070, 16],
  ...points(1010, [0, 0]),
  [1010, '0.0'],
  [1020, '0.0'],
  [1030, '1.0'],
  ...[0, seen, centre[0], centre[1], 50, 0, 0].map((n): Pair => [1040, number(n)]),
  ...[0, 100, 1, 0, 0, 0, 0, 0].map((n): Pair => [1070, n]),
  ...[0, 0, 0, 0, 0, 0, 0].map((n): Pair => [1040, number(n)]),
  [1070, 0],
  [1002, '{'],
  [1002, '}'],
  [1002, '}'],
];

/** An AC1009 drawing with its only sheet in paper space. */
export function siteDrawing({ inches, lines, texts, rooms = [], view, block }: Plan): Uint8Array {
  const pairs: Pair[] = [
    [0, 'SECTION'],
    [2, 'HEADER'],
    [9, '$ACADVER'],
    [1, 'AC1009'],
    [9, '$DWGCODEPAGE'],
    [3, 'ANSI_1252'],
    [9, '$INSUNITS'],
    [70, inches ? 1 : 4],
    [0, 'ENDSEC'],
    [0, 'SECTION'],
    [2, 'TABLES'],
    [0, 'TABLE'],
    [2, 'LAYER'],
    [70, 2],
    ...['0', 'ROOMS'].flatMap((name): Pair[] => [
      [0, 'LAYER'],
      [2, name],
      [70, 0],
      [62, 7],
      [6, 'CONTINUOUS'],
    ]),
    [0, 'ENDTAB'],
    [0, 'TABLE'],
    [2, 'STYLE'],
    [70, 1],
    [0, 'STYLE'],
    [2, 'SITE'],
    [70, 0],
    [40, '0.0'],
    [41, '1.0'],
    [50, '0.0'],
    [71, 0],
    [42, '2.5'],
    [3, 'romans.shx'],
    [4, ''],
    [0, 'ENDTAB'],
    [0, 'TABLE'],
    [2, 'APPID'],
    [70, 1],
    [0, 'APPID'],
    [2, 'ACAD'],
    [70, 0],
    [0, 'ENDTAB'],
    [0, 'ENDSEC'],
    [0, 'SECTION'],
    [2, 'BLOCKS'],
  ];
  if (block)
    pairs.push(
      ...definition(
        block.name,
        [...block.lines.flatMap((corners) => line(corners, '0', false)), ...block.captions.flatMap((caption) => text(caption, '0', false))],
        block.cells,
      ),
    );
  if (rooms.length) pairs.push(...definition(ROOM_LABEL, [], ROOM_CELLS));
  pairs.push([0, 'ENDSEC'], [0, 'SECTION'], [2, 'ENTITIES']);
  pairs.push(...lines.flatMap((corners) => line(corners, '0', true)), ...texts.flatMap((one) => text(one, '0', true)));
  for (const { corners, name, area } of rooms) {
    const [x, y] = [0, 1].map((axis) => corners.reduce((sum, corner) => sum + corner[axis]!, 0) / corners.length) as [number, number];
    const words = [name, area];
    pairs.push(
      ...outline(corners),
      ...insert(
        ROOM_LABEL,
        [x, y],
        ROOM_CELLS.map((cell, i) => ({ ...cell, text: words[i]! })),
        false,
      ),
    );
  }
  if (view) pairs.push(...viewport(view));
  if (block) pairs.push(...insert(block.name, block.at, block.cells, true));
  pairs.push([0, 'ENDSEC'], [0, 'EOF']);
  return Buffer.from(pairs.map(([code, value]) => `${String(code).padStart(3)}\r\n${value}\r\n`).join(''), 'latin1');
}

const box = (x: number, y: number, width: number, height: number): At[] => [
  [x, y],
  [x + width, y],
  [x + width, y + height],
  [x, y + height],
  [x, y],
];

/** A sheet of the Halden Mill set, in millimetres, with the mill's block. */
const hall = (path: string, title: string, sheet: number, model: Pick<Plan, 'rooms' | 'view'> = {}): Plan => ({
  path,
  inches: false,
  lines: [box(10, 10, 400, 277)],
  texts: [],
  ...model,
  block: {
    name: 'HM-SHEET',
    at: [230, 10],
    lines: [
      box(0, 0, 180, 30),
      [
        [0, 15],
        [180, 15],
      ],
      [
        [90, 0],
        [90, 15],
      ],
      [
        [130, 0],
        [130, 15],
      ],
      [
        [155, 0],
        [155, 15],
      ],
    ],
    captions: [
      { at: [2, 27], text: 'Title', height: 1.8 },
      { at: [2, 12], text: 'File', height: 1.8 },
      { at: [92, 12], text: 'Client', height: 1.8 },
      { at: [132, 12], text: 'Date', height: 1.8 },
      { at: [157, 12], text: 'Sheet', height: 1.8 },
    ],
    cells: [
      { tag: 'TITLE', prompt: 'Title of the sheet', at: [2, 18], height: 5, text: title },
      { tag: 'FILE', prompt: 'File', at: [2, 3], height: 3.5, text: path.slice(path.lastIndexOf('/') + 1) },
      { tag: 'CLIENT', prompt: 'Client', at: [92, 3], height: 3.5, text: 'Halden Mill' },
      { tag: 'DATE', prompt: 'Date', at: [132, 3], height: 2.5, text: '2024-05-17' },
      { tag: 'SHEET', prompt: 'Sheet', at: [157, 3], height: 3.5, text: `${sheet} / 3` },
    ],
  },
});

/** A Tern Street sheet in inches; its title block is not a block. */
const street = (path: string, values: readonly (readonly [caption: string, text: string])[]): Plan => ({
  path,
  inches: true,
  lines: [box(0.5, 0.5, 16, 10), ...values.map((_, i) => box(8.5 + 2 * (i % 4), 0.5 + 0.6 * Math.floor(i / 4), 2, 0.6))],
  texts: values.flatMap(([caption, words], i): Text[] => {
    const [x, y] = [8.5 + 2 * (i % 4), 0.5 + 0.6 * Math.floor(i / 4)];
    return [
      { at: [x + 0.05, y + 0.48], text: caption, height: 1 / 16 },
      { at: [x + 0.05, y + 0.15], text: words, height: 1 / 8 },
    ];
  }),
});

export const SITE_DRAWINGS: readonly Plan[] = [
  hall('projects/Halden Mill/drawings/HM-01 floor plan.dxf', 'Floor plan of the roastery', 1, {
    // The store was widened after its area had been typed.
    rooms: [
      { corners: box(0, 0, 9000, 6000).slice(0, 4), name: 'Roastery', area: '54.0 m²' },
      { corners: box(9000, 0, 4000, 6000).slice(0, 4), name: 'Green coffee store', area: '21.6 m²' },
    ],
    view: { at: [210, 165], size: [320, 180], centre: [6500, 3000], seen: 9000 },
  }),
  hall('projects/Halden Mill/drawings/HM-02 exhaust duct and chaff collector, section.dxf', 'Exhaust duct and chaff collector', 2),
  hall('projects/Halden Mill/drawings/HM-03 footings.dxf', 'Footings', 3),
  street('projects/Tern Street/drawings/TS-1 hood.dxf', [
    ['Drawn by', 'R. Calder'],
    ['Date', '03/21/23'],
    ['Scale', `1/4" = 1'-0"`],
    ['Sheet', '1 of 2'],
    ['Title', 'EXHAUST HOOD'],
    ['Material', '16 GA SST'],
    ['Finish', 'NO. 4'],
    ['Rev', 'B'],
  ]),
  street('projects/Tern Street/drawings/TS-2 duct run.dxf', [
    ['Drawn by', 'R. Calder'],
    ['Date', '03/21/23'],
    ['Scale', `1/4" = 1'-0"`],
    ['Sheet', '2 of 2'],
    ['Title', 'DUCT RUN TO ROOF'],
    ['Material', '18 GA GALV'],
    ['Finish', 'NONE'],
    ['Rev', 'A'],
  ]),
  // Texts without boxes or captions: none of them is a cell until somebody anchors it.
  {
    path: 'projects/Tern Street/drawings/TS-3 roof curb.dxf',
    inches: true,
    lines: [box(0.5, 0.5, 16, 10), box(4, 3, 8, 5), box(4.5, 3.5, 7, 4)],
    texts: [
      { at: [9.5, 1.4], text: 'ROOF CURB', height: 1 / 4 },
      { at: [9.5, 1], text: 'TERN STREET ROASTERY', height: 1 / 8 },
      { at: [14, 1], text: '3/21/23', height: 1 / 8 },
      { at: [15.2, 1], text: 'REV A', height: 1 / 8 },
    ],
  },
];
