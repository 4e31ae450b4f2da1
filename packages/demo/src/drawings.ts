import type { DemoSheet } from './sheet';

/** The drawings of the demo. Some cells are stale, some empty: what a library looks like before Rule. */
export const DRAWINGS: readonly (DemoSheet & { readonly path: string })[] = [
  {
    // Shows its model by base name alone.
    path: 'DR-15/drawings/face-plate.dxf',
    size: 'A3',
    scale: 0.5,
    savedBy: 'E. Varga',
    properties: { 'Part number': 'DR15-101', Description: 'Face plate', Revision: 'B', 'Drawn by': 'E. Varga', 'Date of issue': '2026-08-14', Sheets: '1' },
    cells: { OWNER: 'Marrowby Roaster Works', TITLE: 'Face plate', PARTNO: 'DR15-101', MATL: 'S235JR', FINISH: 'black oxide', MASS: '', DRAWN: 'E. Varga', DATE: '2026-08-14', SCALE: '1:2', SHEET: '1/1', REV: 'A' },
    outlines: [{ rect: [-210, -210, 420, 420] }, { circle: [0, 0, 90] }, ...[-170, 170].flatMap((x) => [-170, 170].map((y) => ({ circle: [x, y, 6.5] as const })))],
  },
  {
    path: 'DR-15/drawings/DR15-115 agitator arm.dxf',
    size: 'A4',
    scale: 1,
    savedBy: 'T. Okafor',
    properties: { Model: 'agitator-arm.step', 'Part number': 'DR15-115', Description: 'Agitator arm', Revision: 'A', 'Drawn by': 'T. Okafor', 'Date of issue': '2026-08-20', Sheets: '1' },
    cells: { OWNER: 'Marrowby Roaster Works', TITLE: 'Agitator arm', PARTNO: 'DR15-115', MATL: '1.4301', FINISH: 'brushed', DRAWN: 'T. Okafor', DATE: '2026-08-20', SCALE: '1:1', SHEET: '1/1', REV: 'A' },
    outlines: [{ rect: [-80, -15, 160, 30] }, { circle: [-60, 0, 8.1] }],
  },
  {
    path: 'DR-15/drawings/DR15-130 bean hopper.dxf',
    size: 'A3',
    scale: 0.5,
    savedBy: 'T. Okafor',
    properties: { Model: 'bean-hopper.step', 'Part number': 'DR15-130', Description: 'Bean hopper', Revision: 'B', 'Drawn by': 'T. Okafor', Sheets: '1' },
    cells: { OWNER: 'Marrowby Roaster Works', TITLE: 'Bean hopper', PARTNO: 'DR15-130', MATL: 'DC01', DRAWN: 'T. Okafor', SCALE: '1:2', SHEET: '1/1', REV: 'B' },
    outlines: [{ rect: [-60, 0, 120, 2] }, { rect: [-150, 158, 300, 2] }, { circle: [0, 80, 60] }],
  },
  {
    path: 'DR-15/drawings/DR15-200 drum unit.dxf',
    size: 'A2',
    scale: 0.5,
    savedBy: 'E. Varga',
    properties: { Model: 'drum-unit.step', 'Part number': 'DR15-200', Description: 'Drum unit', Revision: 'B', 'Drawn by': 'E. Varga', 'Date of issue': '2026-09-02', Sheets: '1' },
    cells: { OWNER: 'Marrowby Roaster Works', TITLE: 'Drum unit', PARTNO: 'DR15-200', DRAWN: 'E. Varga', DATE: '2026-09-02', SCALE: '1:2', SHEET: '1/1', REV: 'B' },
    outlines: [{ rect: [-180, -150, 360, 300] }, { rect: [-210, -15, 420, 30] }],
  },
];
