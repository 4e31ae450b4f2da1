import { AnyShape, draw, drawPolysides, drawRoundedRectangle, makeBaseBox, makeCompound, makeCylinder, Sketch } from 'replicad';
import type { Placement } from './kernel';
import type { DemoAssembly } from './parts';
import type { DemoSheet } from './sheet';

type Values = Readonly<Record<string, string | number | boolean>>;

/** A part of the DR-5's library. */
export interface InheritedPart {
  readonly id: string;
  readonly name: string;
  readonly path: string;
  readonly solid: () => AnyShape;
  readonly values: Values;
  /** Density in g/cm³ for the written weight; none is written without it. */
  readonly weighed?: number;
  /** Factor on the written weight, for geometry changed afterwards. */
  readonly stale?: number;
  /** Material stated by the model, with density in g/cm³. */
  readonly model?: { readonly material: string; readonly density: number };
}

const ring = (outer: number, inner: number, length: number): AnyShape => makeCylinder(outer, length).cut(makeCylinder(inner, length + 2, [0, 0, -1]));
const square = (side: number, wall: number, length: number): AnyShape =>
  makeBaseBox(side, side, length).cut(makeBaseBox(side - 2 * wall, side - 2 * wall, length + 2).translate([0, 0, -1]));
const sheet = (x: number, y: number, t: number, radius: number): AnyShape => (drawRoundedRectangle(x, y, radius).sketchOnPlane('XY') as Sketch).extrude(t);
const drilled = (body: AnyShape, depth: number, ...holes: readonly (readonly [number, number, number])[]): AnyShape =>
  holes.reduce((rest: AnyShape, [x, y, r]) => (rest as ReturnType<typeof makeCylinder>).cut(makeCylinder(r, depth + 2, [x, y, -1])), body);
const hexagon = (width: number, height: number): AnyShape => (drawPolysides(width / Math.sqrt(3), 6).sketchOnPlane('XY') as Sketch).extrude(height);
const funnel = (top: number, bottom: number, height: number, wall: number): AnyShape =>
  (
    draw([0, 0])
      .lineTo([bottom, 0])
      .lineTo([top, height])
      .lineTo([top - wall, height])
      .lineTo([bottom - wall, wall])
      .lineTo([0, wall])
      .close()
      .sketchOnPlane('XZ') as Sketch
  ).revolve([0, 0, 1]);
const bolt = (): AnyShape => (hexagon(10, 4) as ReturnType<typeof makeCylinder>).fuse(makeCylinder(3, 16, [0, 0, 4]));
const thermocouple = (): AnyShape => makeCylinder(3, 120).fuse(makeCylinder(7, 18, [0, 0, 120]));
/** A welded rail: one long and two short tubes of one section, with two equal end plates. */
const weldedRail = (): AnyShape => {
  const plate = drilled(sheet(60, 40, 4, 3), 4, [-22, 0, 3.3], [22, 0, 3.3]);
  return makeCompound([
    square(20, 2, 260),
    square(20, 2, 70).rotate(90, [0, 0, 0], [1, 0, 0]).translate([0, -10, 90]),
    square(20, 2, 70).rotate(90, [0, 0, 0], [1, 0, 0]).translate([0, -10, 170]),
    plate.clone().translate([0, 0, -4]),
    plate.translate([0, 0, 260]),
  ]);
};
const hinge = (): AnyShape => drilled(sheet(50, 30, 3, 4), 3, [-15, 0, 2.6], [15, 0, 2.6]);

const DR5 = 'DR-5/models';

/** Library of the DR-5's former maker, with inconsistent names and values: material for Survey. */
export const INHERITED_PARTS: readonly InheritedPart[] = [
  {
    id: 'F5-001',
    name: 'Front plate',
    path: `${DR5}/F5-001.stp`,
    weighed: 7.85,
    solid: () => drilled(sheet(300, 300, 6, 12), 6, [0, 0, 62], [120, 120, 5.5], [-120, 120, 5.5], [120, -120, 5.5], [-120, -120, 5.5]),
    values: { 'Item no': 'F5-001', Descr: 'front plate', Rev: 'C', Matl: 'mild steel', Surface: 'black oxide', Vendor: '' },
    model: { material: 'mild steel', density: 7.85 },
  },
  {
    id: 'F5-002',
    name: 'Rear plate',
    path: `${DR5}/F5-002.stp`,
    weighed: 7.85,
    solid: () => drilled(sheet(300, 300, 6, 12), 6, [0, 0, 28]),
    values: { 'Item no': 'F5-002', Descr: 'rear plate', Rev: 'B', Matl: 'Mild Steel', Surface: 'Black oxide' },
  },
  // The drum was lengthened without updating its weight.
  {
    id: 'F5-010',
    name: 'Drum',
    path: `${DR5}/F5-010.stp`,
    weighed: 7.9,
    stale: 0.83,
    solid: () => ring(105, 103, 260),
    values: { 'Item no': 'F5-010', Descr: 'drum, 5 kg', Rev: 'D', Matl: '304 stainless', Surface: 'brushed' },
    model: { material: 'X5CrNi18-10', density: 7.9 },
  },
  {
    id: 'F5-011',
    name: 'Drum cover',
    path: `${DR5}/F5-011.stp`,
    weighed: 7.9,
    solid: () => drilled(makeCylinder(105, 2), 2, [0, 0, 40]),
    values: { 'Item no': 'F5-011', Descr: 'drum cover', Rev: 'A', Matl: 'SS 304', Surface: 'Brushed' },
  },
  {
    id: 'F5-012',
    name: 'Shaft',
    path: `${DR5}/F5-012.stp`,
    weighed: 7.9,
    solid: () => makeCylinder(10, 300).fuse(makeCylinder(8, 30, [0, 0, 300])),
    values: { 'Item no': 'F5-012', Description: 'shaft', Rev: 'A', Matl: 'ss304', Surface: 'TBD' },
  },
  {
    id: 'F5-013',
    name: 'Vane',
    path: `${DR5}/F5-013.stp`,
    weighed: 7.9,
    solid: () => drilled(sheet(110, 24, 3, 6), 3, [-42, 0, 4]),
    values: { 'Item no': 'F5-013', Descr: 'vane', Rev: 'A', Matl: 'Stainless 304', Surface: 'BRUSHED' },
  },
  {
    id: 'F5-020',
    name: 'Hopper',
    path: `${DR5}/F5-020.stp`,
    weighed: 7.9,
    solid: () => funnel(110, 40, 120, 1.5),
    values: { 'Item no': 'F5-020', Descr: 'hopper', REV: 'B', Material: '304 STAINLESS', Surface: 'brushed' },
  },
  // The title exceeds its cell.
  {
    id: 'F5-021',
    name: 'Gate',
    path: `${DR5}/F5-021.stp`,
    weighed: 7.9,
    solid: () => drilled(sheet(100, 60, 2, 4), 2, [36, 0, 6]),
    values: { 'Item no': 'F5-021', Descr: 'slide gate with handle, for hopper with sight glass and service opening', Rev: 'A', Matl: '304 stainless' },
  },
  {
    id: 'F5-022',
    name: 'Sight glass',
    path: `${DR5}/F5-022.stp`,
    solid: () => makeCylinder(30, 4),
    values: { 'Item no': 'F5-022', Descr: 'sight glass', Rev: 'A', Matl: 'glass', Surface: 'n/a', Vendor: 'Pellworm Glass' },
  },
  {
    id: 'F5-030',
    name: 'Burner',
    path: `${DR5}/F5-030.stp`,
    weighed: 7.85,
    solid: () => drilled(makeBaseBox(220, 20, 20), 20, [-80, 0, 3], [-40, 0, 3], [0, 0, 3], [40, 0, 3], [80, 0, 3]),
    values: { 'Item no': 'F5-030', Descr: 'burner', Rev: '-', Matl: 'MS', Surface: '---' },
  },
  {
    id: 'F5-040',
    name: 'Chimney',
    path: `${DR5}/F5-040.stp`,
    weighed: 7.85,
    solid: () => ring(45, 44, 180),
    values: { 'Item no': 'F5-040', Desc: 'chimney', Rev: 'A', Matl: 'mild  steel', Surface: 'powder coat' },
  },
  {
    id: 'F5-050',
    name: 'Cooling sieve',
    path: `${DR5}/F5-050.stp`,
    weighed: 7.9,
    solid: () => ring(190, 188.5, 70),
    values: { 'Item no': 'F5-050', Descr: 'cooling sieve', Rev: 'A', 'Matl ': '304 stainless', Surface: 'brushed' },
  },
  {
    id: 'F5-060',
    name: 'Leg',
    path: `${DR5}/F5-060.stp`,
    weighed: 7.85,
    solid: () => square(30, 2, 480),
    values: { 'Item no': 'F5-060', Descr: 'leg', Rev: 'A', Matl: 'mild steel', Surface: 'powder coat' },
  },
  {
    id: 'F5-061',
    name: 'Cross rail',
    path: `${DR5}/F5-061.stp`,
    weighed: 7.85,
    solid: weldedRail,
    values: { 'Item no': 'F5-061', Descr: 'cross rail', Rev: 'A', Matl: 'Mild steel', Surface: 'Powder Coat' },
  },
  {
    id: 'F5-062',
    name: 'Foot',
    path: `${DR5}/F5-062.stp`,
    solid: () => makeCylinder(18, 12).fuse(makeCylinder(5, 25, [0, 0, 12])),
    values: { 'Item no': 'F5-062', Descr: 'foot', Rev: 'A', Matl: 'rubber', Vendor: 'Carrick Mounts', 'Vendor no': '00077' },
  },
  {
    id: 'F5-070',
    name: 'Hinge',
    path: `${DR5}/F5-070.stp`,
    weighed: 7.9,
    solid: hinge,
    values: { 'Item no': 'F5-070', Descr: 'hinge', Rev: 'A', Matl: 'SS304', Surface: 'brushed' },
  },
  {
    id: 'F5-071',
    name: 'Handle',
    path: `${DR5}/F5-071.stp`,
    solid: () => makeCylinder(11, 95),
    values: { 'Item no': 'F5-071', Descr: 'handle', Rev: 'A', Matl: 'beech', Surface: 'oiled' },
  },
  {
    id: 'F5-072',
    name: 'Trier',
    path: `${DR5}/F5-072.stp`,
    weighed: 7.9,
    solid: () => makeCylinder(6, 130).fuse(makeCylinder(10, 30, [0, 0, -30])),
    values: { 'Item no': 'F5-072', Descr: 'trier', Rev: 'B', Matl: 'stainless 304', Surface: 'polished' },
  },
  {
    id: 'V-6202',
    name: 'Bearing 6202',
    path: 'DR-5/purchased/V-6202.stp',
    weighed: 7.85,
    solid: () => ring(17.5, 7.5, 11),
    values: { 'Item no': 'V-6202', Descr: 'bearing 6202', Vendor: 'Ostrelle Bearings', 'Vendor no': '0062022', Bought: 'Y' },
  },
  {
    id: 'V-M6',
    name: 'Bolt M6 x 16',
    path: 'DR-5/purchased/V-M6.stp',
    weighed: 7.85,
    solid: bolt,
    values: { 'Item no': 'V-M6', Descr: 'bolt M6x16', Vendor: 'Norrwick Fasteners', 'Vendor no': '3-11', Bought: 'y' },
  },
  {
    id: 'V-GM25',
    name: 'Gear motor 25 W',
    path: 'DR-5/purchased/V-GM25.stp',
    solid: () => makeBaseBox(70, 70, 120).fuse(makeCylinder(8, 30, [0, 0, 120])),
    values: { 'Item no': 'V-GM25', Descr: 'gear motor 25 W', Vendor: 'Otterby Drives', 'Vendor no': '00417', Weight: 4.2, Bought: 'Y' },
  },
  // One bought part in two project folders under the same file name.
  {
    id: 'BP-TK310',
    name: 'Thermocouple',
    path: 'projects/Tern Street/thermocouple.step',
    solid: thermocouple,
    values: {
      'Part number': 'BP-TK310',
      Description: 'Thermocouple type K',
      Supplier: 'Brackwater Sensors',
      'Order number': '310-K',
      'Make or buy': 'bought',
      Mass: 0.041,
    },
  },
  {
    id: 'BP-TK310',
    name: 'Thermocouple',
    path: 'projects/Halden Mill/thermocouple.step',
    solid: thermocouple,
    values: { 'Part number': 'BP-TK310', Description: 'thermocouple K', Supplier: 'Brackwater', 'Order number': '310 K', 'Make or buy': 'bought' },
  },
  {
    id: 'HM-001',
    name: 'Chaff collector',
    path: 'projects/Halden Mill/chaff-collector.step',
    weighed: 7.9,
    // Lengthened after weighing.
    stale: 0.91,
    solid: () => ring(140, 138.5, 300),
    values: {
      'Part number': 'HM-001',
      Description: 'Chaff collector',
      Revision: 'A',
      Material: '1.4301',
      Finish: 'brushed',
      'Make or buy': 'made',
      'Food contact': 'Yes',
    },
  },
];

const at = (n: number, size: number, z: number): readonly [number, number, number] => [n % 2 ? size : -size, n < 2 ? size : -size, z];
const four = (of: string, label: string, size: number, z: number): Placement[] =>
  [0, 1, 2, 3].map((n) => ({ of, label: `${label} ${n + 1}`, at: at(n, size, z) }));

export const INHERITED_ASSEMBLIES: readonly DemoAssembly[] = [
  {
    id: 'F5-100',
    name: 'Drum group',
    path: 'DR-5/models/F5-100.stp',
    placements: [
      { of: 'F5-010', label: 'drum', at: [0, 0, 0] },
      { of: 'F5-011', label: 'cover', at: [0, 0, 258] },
      { of: 'F5-012', label: 'shaft', at: [0, 0, -20] },
      ...[0, 1, 2].map((n): Placement => ({ of: 'F5-013', label: `vane ${n + 1}`, at: [45, 0, 50 + 70 * n] })),
      { of: 'V-6202', label: 'bearing 1', at: [0, 0, -30] },
      { of: 'V-6202', label: 'bearing 2', at: [0, 0, 280] },
    ],
    values: { 'Item no': 'F5-100', Descr: 'drum group', Rev: 'C' },
    occurrenceValues: { 'bearing 1': { Greased: 'yes' }, 'bearing 2': { Greased: 'no' } },
    copyValues: {},
  },
  {
    id: 'F5-300',
    name: 'Frame',
    path: 'DR-5/models/F5-300.stp',
    placements: [
      ...four('F5-060', 'leg', 130, -480),
      ...four('F5-062', 'foot', 130, -510),
      { of: 'F5-061', label: 'rail left', at: [-130, 0, -200] },
      { of: 'F5-061', label: 'rail right', at: [130, 0, -200] },
    ],
    values: { 'Item no': 'F5-300', Descr: 'frame', Rev: 'A', Surface: 'powder coat' },
    occurrenceValues: {},
    copyValues: {},
  },
  {
    id: 'F5-400',
    name: 'Hopper group',
    path: 'DR-5/models/F5-400.stp',
    placements: [
      { of: 'F5-020', label: 'hopper', at: [0, 0, 0] },
      { of: 'F5-021', label: 'gate', at: [0, 0, -6] },
      { of: 'F5-022', label: 'glass', at: [0, -60, 40] },
      { of: 'F5-070', label: 'hinge left', at: [-60, 60, 110] },
      { of: 'F5-070', label: 'hinge right', at: [60, 60, 110] },
    ],
    values: { 'Item no': 'F5-400', Descr: 'hopper group', REV: 'B' },
    occurrenceValues: {},
    copyValues: {},
  },
  {
    id: 'F5-000',
    name: 'Drum roaster DR-5',
    path: 'DR-5/models/F5-000.stp',
    placements: [
      { of: 'F5-100', label: 'drum group', at: [0, 0, 0] },
      { of: 'F5-300', label: 'frame', at: [0, 0, -100] },
      { of: 'F5-400', label: 'hopper group', at: [0, 180, 300] },
      { of: 'F5-001', label: 'front', at: [0, 0, 290] },
      { of: 'F5-002', label: 'rear', at: [0, 0, -50] },
      { of: 'F5-030', label: 'burner', at: [0, -130, 100] },
      { of: 'F5-040', label: 'chimney', at: [0, 190, 60] },
      { of: 'F5-050', label: 'sieve', at: [0, -240, 400] },
      { of: 'F5-072', label: 'trier', at: [90, 0, 310] },
      { of: 'V-GM25', label: 'motor', at: [0, 0, -190] },
      ...four('V-M6', 'bolt', 120, 296),
    ],
    values: { 'Item no': 'F5-000', Descr: 'drum roaster DR-5', Rev: 'C', 'Batch size': '5 kg' },
    occurrenceValues: {},
    copyValues: {},
  },
];

type Cells = Readonly<Record<string, string>>;
const drawing = (
  path: string,
  of: { size: DemoSheet['size']; scale: number; block: DemoSheet['block'] },
  properties: Cells,
  cells: Cells,
  outlines: DemoSheet['outlines'],
) => ({
  path,
  savedBy: 'P. Ferrow',
  ...of,
  properties,
  cells,
  outlines,
});
const A3 = { size: 'A3', scale: 0.5, block: 'FT-BLOCK' } as const;
const A4 = { size: 'A4', scale: 1, block: 'FT-BLOCK' } as const;

/** DR-5 drawings with the other maker's title block; one on an inch sheet, one without its model. */
export const INHERITED_DRAWINGS: readonly (DemoSheet & { readonly path: string })[] = [
  drawing(
    'DR-5/drawings/F5-001.dxf',
    A3,
    { 'Item no': 'F5-001', Drawn: 'P. Ferrow', 'Issue date': '14.3.2019', Rev: 'C' },
    { NAME: 'front plate', DWGNO: 'F5-001', MAT: 'MILD STEEL', DRN: 'P. Ferrow', DATE: '14.3.2019', REV: 'C' },
    [{ rect: [-150, -150, 300, 300] }, { circle: [0, 0, 62] }],
  ),
  drawing(
    'DR-5/drawings/F5-010.dxf',
    A3,
    { 'Item no': 'F5-010', Drawn: 'P. Ferrow', 'Issue date': '2019/05/02', Rev: 'C' },
    { NAME: 'drum, 5 kg', DWGNO: 'F5-010', MAT: '304 STAINLESS', DRN: 'P. Ferrow', DATE: '2019/05/02', REV: 'C' },
    [{ rect: [-130, -105, 260, 210] }],
  ),
  drawing(
    'DR-5/drawings/F5-012.dxf',
    A4,
    { 'Item no': 'F5-012', Drawn: 'I. Mott', 'Issue date': '3 May 2019', Rev: 'A' },
    { NAME: 'shaft', DWGNO: 'F5-012', MAT: 'SS304', DRN: 'I. Mott', DATE: '3 May 2019', REV: 'A' },
    [{ rect: [-75, -10, 150, 20] }],
  ),
  drawing(
    'DR-5/drawings/F5-020.dxf',
    A3,
    { 'Item no': 'F5-020', Drawn: 'I. Mott', 'Issue date': '20.06.2019', Rev: 'A' },
    { NAME: 'hopper', DWGNO: 'F5-020', MAT: '304 STAINLESS', DRN: 'I. Mott', DATE: '20.06.2019', REV: 'A' },
    [{ rect: [-110, 0, 220, 120] }],
  ),
  drawing(
    'DR-5/drawings/F5-021.dxf',
    A4,
    { 'Item no': 'F5-021', Drawn: 'I. Mott', 'Issue date': 'June 2019', Rev: 'A' },
    {
      NAME: 'slide gate with handle, for hopper with sight glass and service opening',
      DWGNO: 'F5-021',
      MAT: '304 STAINLESS',
      DRN: 'I. Mott',
      DATE: 'June 2019',
      REV: 'A',
    },
    [{ rect: [-50, -30, 100, 60] }, { circle: [36, 0, 6] }],
  ),
  drawing(
    'DR-5/drawings/F5-060.dxf',
    A4,
    { 'Item no': 'F5-060', Drawn: 'P. Ferrow', Rev: 'A' },
    { NAME: 'leg', DWGNO: 'F5-060', MAT: '', DRN: 'P. Ferrow', DATE: '', REV: 'A' },
    [{ rect: [-15, -15, 30, 30] }, { rect: [-13, -13, 26, 26] }],
  ),
  // An inch sheet.
  drawing(
    'DR-5/drawings/F5-072.dxf',
    { size: 'B', scale: 1, block: 'FT-BLOCK' },
    { 'Item no': 'F5-072', Drawn: 'I. Mott', 'Issue date': '09/27/2019', Rev: 'B' },
    { NAME: 'trier', DWGNO: 'F5-072', MAT: 'STAINLESS 304', DRN: 'I. Mott', DATE: '09/27/2019', REV: 'A' },
    [{ rect: [-65, -6, 130, 12] }],
  ),
  // Its model is not in the library.
  drawing(
    'DR-5/drawings/F5-080.dxf',
    A4,
    { 'Item no': 'F5-080', Drawn: 'P. Ferrow', 'Issue date': '1.10.2019', Rev: 'A' },
    { NAME: 'drip tray', DWGNO: 'F5-080', MAT: '304 STAINLESS', DRN: 'P. Ferrow', DATE: '1.10.2019', REV: 'A' },
    [{ rect: [-80, -50, 160, 100] }],
  ),
];

/** Office documents with their custom properties. */
export const INHERITED_DOCUMENTS: readonly { readonly path: string; readonly title: string; readonly text: string; readonly values: Values }[] = [
  {
    path: 'DR-5/documents/assembly instruction.docx',
    title: 'Assembly instruction DR-5',
    text: 'Mount the frame first. Hang the drum group into both bearings.',
    values: { 'Item no': 'F5-000', Rev: 'B', 'Document type': 'instruction' },
  },
  {
    path: 'DR-5/documents/burner test.docx',
    title: 'Burner test',
    text: 'Soap water on every joint; no bubble within one minute.',
    values: { 'Item no': 'F5-030', Rev: '-', 'Document type': 'test record' },
  },
  {
    path: 'projects/Halden Mill/offer.docx',
    title: 'Offer Halden Mill',
    text: 'One DR-15 with chaff collector.',
    values: { Project: 'Halden Mill', 'Document type': 'offer' },
  },
];
