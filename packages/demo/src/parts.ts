import { AnyShape, draw, drawCircle, drawPolysides, drawRoundedRectangle, makeBaseBox, makeCylinder, Sketch } from 'replicad';
import type { Placement } from './kernel';

type Values = Readonly<Record<string, string | number | boolean>>;

/** A demo part: solid, density in g/cm³ and file properties. */
export interface DemoPart {
  readonly id: string;
  readonly name: string;
  readonly path: string;
  readonly solid: () => AnyShape;
  readonly density: number;
  /** Values in the file; `Mass` is computed unless given. */
  readonly values: Values;
  readonly drawnBy: string;
}

/** A demo assembly. */
export interface DemoAssembly {
  readonly id: string;
  readonly name: string;
  readonly path: string;
  readonly placements: readonly Placement[];
  readonly values: Values;
  /** Values of occurrences, by label. */
  readonly occurrenceValues: Readonly<Record<string, Values>>;
  /** Values of copies in the assembly, by product id. */
  readonly copyValues: Readonly<Record<string, Values>>;
}

const STAINLESS = 7.9;
const STEEL = 7.85;

const plate = (x: number, y: number, z: number, holes: readonly (readonly [number, number, number])[]): AnyShape => {
  let body = makeBaseBox(x, y, z);
  for (const [hx, hy, r] of holes) body = body.cut(makeCylinder(r, z + 2, [hx, hy, -1]));
  return body;
};
const tube = (outer: number, inner: number, length: number): AnyShape => makeCylinder(outer, length).cut(makeCylinder(inner, length + 2, [0, 0, -1]));
const squareTube = (side: number, wall: number, length: number): AnyShape =>
  makeBaseBox(side, side, length).cut(makeBaseBox(side - 2 * wall, side - 2 * wall, length + 2).translate([0, 0, -1]));
const sketch = (drawing: ReturnType<typeof drawCircle>) => drawing.sketchOnPlane('XY') as Sketch;
const hexBolt = (): AnyShape =>
  sketch(drawPolysides(7.5, 6))
    .extrude(5.3)
    .fuse(makeCylinder(4, 25, [0, 0, 5.3]));
const hopper = (): AnyShape => {
  const profile = draw([0, 0]).lineTo([60, 0]).lineTo([150, 160]).lineTo([148, 160]).lineTo([58.4, 2]).lineTo([0, 2]).close().sketchOnPlane('XZ') as Sketch;
  return profile.revolve([0, 0, 1]);
};
const dish = (): AnyShape =>
  makeCylinder(280, 90)
    .cut(makeCylinder(278, 90, [0, 0, 1.5]))
    .cut(makeCylinder(40, 4, [0, 0, -1]));
const trier = (): AnyShape =>
  makeCylinder(8, 180)
    .cut(makeBaseBox(8, 12, 70).translate([0, 6, 100]))
    .fuse(makeCylinder(14, 40, [0, 0, -40]));
const arm = (): AnyShape =>
  sketch(drawRoundedRectangle(160, 30, 10))
    .extrude(4)
    .cut(makeCylinder(8.1, 10, [-60, 0, -2]));

/** Parts in the library. Deliberately untidy; see the comments. */
export const PARTS: readonly DemoPart[] = [
  {
    id: 'DR15-101',
    name: 'Face plate',
    path: 'DR-15/parts/face-plate.step',
    density: STEEL,
    drawnBy: 'E. Varga',
    solid: () =>
      plate(420, 420, 8, [
        [0, 0, 90],
        [170, 170, 6.5],
        [-170, 170, 6.5],
        [170, -170, 6.5],
        [-170, -170, 6.5],
      ]),
    values: {
      'Part number': 'DR15-101',
      Description: 'Face plate',
      Revision: 'B',
      Material: 'S235JR',
      Finish: 'black oxide',
      'Make or buy': 'made',
      'Food contact': false,
    },
  },
  {
    id: 'DR15-110',
    name: 'Drum',
    path: 'DR-15/parts/drum.step',
    density: STAINLESS,
    drawnBy: 'E. Varga',
    solid: () => tube(150, 147, 360),
    values: {
      'Part number': 'DR15-110',
      Description: 'Drum, 15 kg',
      Revision: 'C',
      Material: '1.4301',
      Finish: 'brushed',
      'Make or buy': 'made',
      'Food contact': true,
    },
  },
  {
    id: 'DR15-112',
    name: 'Drum shaft',
    path: 'DR-15/parts/drum-shaft.step',
    density: STAINLESS,
    drawnBy: 'E. Varga',
    solid: () => makeCylinder(15, 420).fuse(makeCylinder(12.5, 40, [0, 0, 420])),
    values: { 'Part number': 'DR15-112', Description: 'Drum shaft', Revision: 'A', Material: '1.4301', 'Make or buy': 'made', 'Food contact': true },
  },
  {
    id: 'DR15-115',
    name: 'Agitator arm',
    path: 'DR-15/parts/agitator-arm.step',
    density: STAINLESS,
    drawnBy: 'T. Okafor',
    solid: arm,
    values: {
      'Part number': 'DR15-115',
      Description: 'Agitator arm',
      Revision: 'A',
      Material: '1.4301',
      Finish: 'brushed',
      'Make or buy': 'made',
      'Food contact': true,
    },
  },
  {
    id: 'DR15-130',
    name: 'Bean hopper',
    path: 'DR-15/parts/bean-hopper.step',
    density: STAINLESS,
    drawnBy: 'T. Okafor',
    solid: hopper,
    // Missing finish.
    values: { 'Part number': 'DR15-130', Description: 'Bean hopper', Revision: 'B', Material: '1.4301', 'Make or buy': 'made', 'Food contact': true },
  },
  {
    id: 'DR15-131',
    name: 'Slide gate',
    path: 'DR-15/parts/slide-gate.step',
    density: STAINLESS,
    drawnBy: 'T. Okafor',
    solid: () => plate(140, 90, 2, [[50, 0, 8]]),
    // Missing required material.
    values: { 'Part number': 'DR15-131', Description: 'Slide gate', Revision: 'A', Finish: 'brushed', 'Make or buy': 'made', 'Food contact': true },
  },
  {
    id: 'DR15-140',
    name: 'Chimney stub',
    path: 'DR-15/parts/chimney-stub.step',
    density: STEEL,
    drawnBy: 'E. Varga',
    solid: () => tube(60, 58.5, 200),
    values: {
      'Part number': 'DR15-140',
      Description: 'Chimney stub',
      Revision: 'A',
      Material: 'DC01',
      Finish: 'powder coat RAL 9005',
      'Make or buy': 'made',
      'Food contact': false,
    },
  },
  {
    id: 'DR15-150',
    name: 'Burner rail',
    path: 'DR-15/parts/burner-rail.step',
    density: STEEL,
    drawnBy: 'T. Okafor',
    solid: () =>
      plate(320, 25, 25, [
        [-120, 0, 4],
        [-60, 0, 4],
        [0, 0, 4],
        [60, 0, 4],
        [120, 0, 4],
      ]),
    // A stand-in as finish.
    values: {
      'Part number': 'DR15-150',
      Description: 'Burner rail',
      Revision: 'A',
      Material: 'S235JR',
      Finish: '-',
      'Make or buy': 'made',
      'Food contact': false,
    },
  },
  {
    id: 'DR15-160',
    name: 'Cooling tray',
    path: 'DR-15/parts/cooling-tray.step',
    density: STAINLESS,
    drawnBy: 'T. Okafor',
    solid: dish,
    // A property with a trailing blank in its name.
    values: {
      'Part number': 'DR15-160',
      Description: 'Cooling tray',
      Revision: 'A',
      'Material ': '1.4301',
      Finish: 'brushed',
      'Make or buy': 'made',
      'Food contact': true,
    },
  },
  {
    id: 'DR15-170',
    name: 'Frame leg',
    path: 'DR-15/parts/frame-leg.step',
    density: STEEL,
    drawnBy: 'E. Varga',
    solid: () => squareTube(40, 3, 620),
    values: {
      'Part number': 'DR15-170',
      Description: 'Frame leg 40 x 40 x 3',
      Revision: 'A',
      Material: 'S235JR',
      Finish: 'powder coat RAL 9005',
      'Make or buy': 'made',
      'Food contact': false,
    },
  },
  {
    id: 'DR15-171',
    name: 'Tray rail',
    path: 'DR-15/parts/tray-rail.step',
    density: STEEL,
    drawnBy: 'E. Varga',
    solid: () => squareTube(25, 2, 560),
    // A choice worded differently.
    values: {
      'Part number': 'DR15-171',
      Description: 'Tray rail',
      Revision: 'A',
      Material: 'S235 JR',
      Finish: 'powder coat RAL 9005',
      'Make or buy': 'made',
      'Food contact': false,
    },
  },
  {
    id: 'DR15-180',
    name: 'Trier',
    path: 'DR-15/parts/trier.step',
    density: STAINLESS,
    drawnBy: 'T. Okafor',
    solid: trier,
    values: {
      'Part number': 'DR15-180',
      Description: 'Trier with handle',
      Revision: 'A',
      Material: '1.4301',
      Finish: 'polished',
      'Make or buy': 'made',
      'Food contact': true,
    },
  },
  {
    id: 'BP-6204',
    name: 'Drum bearing',
    path: 'bought parts/drum-bearing.step',
    density: STEEL,
    drawnBy: 'R. Lindqvist',
    solid: () => tube(23.5, 10, 14),
    values: {
      'Part number': 'BP-6204',
      Description: 'Drum bearing, sealed',
      Revision: 'A',
      Material: '100Cr6',
      'Make or buy': 'bought',
      Supplier: 'Ostrelle Bearings',
      'Order number': '0062042',
      'Food contact': false,
    },
  },
  {
    id: 'BP-GM40',
    name: 'Gear motor',
    path: 'bought parts/gear-motor.step',
    density: 3.1,
    drawnBy: 'R. Lindqvist',
    solid: () => makeBaseBox(90, 90, 160).fuse(makeCylinder(10, 40, [0, 0, 160])),
    values: {
      'Part number': 'BP-GM40',
      Description: 'Gear motor 40 W',
      Revision: 'A',
      Material: 'various',
      'Make or buy': 'bought',
      'Order number': '00418',
      'Food contact': false,
    },
  },
  {
    // One bought part in two folders under the same file name.
    id: 'BP-GM40',
    name: 'Gear motor',
    path: 'DR-15/parts/gear-motor.step',
    density: 3.1,
    drawnBy: 'T. Okafor',
    solid: () => makeBaseBox(90, 90, 160).fuse(makeCylinder(10, 40, [0, 0, 160])),
    values: {
      'Part number': 'BP-GM40',
      Description: 'Gear motor',
      Revision: 'A',
      Material: 'various',
      'Make or buy': 'bought',
      Supplier: 'Otterby Drives',
      'Food contact': false,
    },
  },
  {
    id: 'BP-M8x25',
    name: 'Hexagon bolt M8 x 25',
    path: 'bought parts/hex-bolt-m8x25.step',
    density: STEEL,
    drawnBy: 'R. Lindqvist',
    solid: hexBolt,
    values: {
      'Part number': 'BP-M8x25',
      Description: 'Hexagon bolt M8 x 25',
      Revision: 'A',
      Material: 'steel 8.8',
      Finish: 'zinc plated',
      'Make or buy': 'bought',
      Supplier: 'Norrwick Fasteners',
      'Order number': '3-4',
      'Food contact': false,
    },
  },
];

/** A placed part without a library file. */
export const LOOSE = { id: 'TK-310', solid: (): AnyShape => makeCylinder(3, 120) };

const corner = (n: number, size: number, z: number): readonly [number, number, number] => [n % 2 ? size : -size, n < 2 ? size : -size, z];

/** Assemblies in the library; the first is a sub-assembly of the second. */
export const ASSEMBLIES: readonly DemoAssembly[] = [
  {
    id: 'DR15-200',
    name: 'Drum unit',
    path: 'DR-15/assemblies/drum-unit.step',
    placements: [
      { of: 'DR15-110', label: 'drum', at: [0, 0, 0] },
      { of: 'DR15-112', label: 'shaft', at: [0, 0, -30] },
      ...[0, 1, 2, 3].map((n) => ({ of: 'DR15-115', label: `arm ${n + 1}`, at: [60, 0, 60 + 80 * n] as const })),
      { of: 'BP-6204', label: 'bearing front', at: [0, 0, -40] },
      { of: 'BP-6204', label: 'bearing rear', at: [0, 0, 400] },
    ],
    values: { 'Part number': 'DR15-200', Description: 'Drum unit', Revision: 'B', 'Make or buy': 'made' },
    occurrenceValues: {
      'bearing front': { 'Tightening torque': 12, 'Lubrication interval': 500 },
      'bearing rear': { 'Tightening torque': 18, 'Lubrication interval': 250 },
    },
    copyValues: {},
  },
  {
    id: 'DR15-000',
    name: 'Drum roaster DR-15',
    path: 'DR-15/assemblies/roaster.step',
    placements: [
      { of: 'DR15-101', label: 'face plate', at: [0, 0, 400] },
      { of: 'DR15-200', label: 'drum unit', at: [0, 0, 0] },
      { of: 'DR15-130', label: 'hopper', at: [0, 200, 420] },
      { of: 'DR15-131', label: 'gate', at: [0, 200, 415] },
      { of: 'DR15-140', label: 'chimney', at: [0, 260, 100] },
      { of: 'DR15-150', label: 'burner rail', at: [0, -180, 160] },
      { of: 'DR15-160', label: 'cooling tray', at: [0, -300, 560] },
      { of: 'DR15-180', label: 'trier', at: [120, 0, 430] },
      ...[0, 1, 2, 3].map((n) => ({ of: 'DR15-170', label: `leg ${n + 1}`, at: corner(n, 190, -700) })),
      { of: 'DR15-171', label: 'rail left', at: [-150, -300, 500] },
      { of: 'DR15-171', label: 'rail right', at: [150, -300, 500] },
      { of: 'BP-GM40', label: 'motor', at: [0, 0, -220] },
      { of: 'TK-310', label: 'thermocouple bean', at: [40, 40, 380] },
      { of: 'TK-310', label: 'thermocouple air', at: [0, 220, 120] },
      ...[0, 1, 2, 3].map((n) => ({ of: 'BP-M8x25', label: `bolt ${n + 1}`, at: corner(n, 170, 408) })),
    ],
    values: { 'Part number': 'DR15-000', Description: 'Drum roaster DR-15', Revision: 'B', 'Make or buy': 'made', 'Roast batch size': '15 kg' },
    occurrenceValues: {},
    // The assembly's copy of the hopper differs from the part file.
    copyValues: { 'DR15-130': { Description: 'Bean hopper', Material: 'DC01' } },
  },
];
