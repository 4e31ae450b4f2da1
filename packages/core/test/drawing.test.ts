import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { IDENTITY, Layer, SheetPicture, apply, bentLine, drawSheet, growth, hatchLines, setLine, setParagraph, splinePoints, times } from '../src/drawing';
import { Point } from '../src/files';
import { outlineArea } from '../src/files/dxf/area';
import { lineWidth } from '../src/lettering';

/** A drawing with every entity type, made by ezdxf, and its renderer's output: text baselines and extents of the rest. */
const DRAW = String.raw`
import sys
import ezdxf
from ezdxf.enums import TextEntityAlignment as A
from ezdxf.math import Vec2
from ezdxf.render import mleader
folder, version = sys.argv[1:3]
doc = ezdxf.new(version, setup=True)
doc.styles.add('ARIAL', font='arial.ttf')
flat = version == 'R12'
msp = doc.modelspace()
style = {'style': 'ARIAL'}
msp.add_line((0, 0), (30, 10))
msp.add_circle((60, 20), 7)
msp.add_arc((90, 20), 8, 30, 200)
msp.add_polyline2d([(0, 30, 0.5), (20, 30, -0.3), (30, 45, 0)], format='xyb', close=True)
msp.add_solid([(40, 40), (50, 40), (40, 48), (50, 48)])
for i, (align, text) in enumerate([(A.LEFT, 'left'), (A.CENTER, 'centre'), (A.RIGHT, 'right'), (A.MIDDLE_CENTER, 'middle'), (A.TOP_LEFT, 'top'), (A.BOTTOM_RIGHT, 'bottom'), (A.TOP_CENTER, 'top centre'), (A.MIDDLE, 'mid')]):
    msp.add_text(text, dxfattribs={'height': 2.5, 'rotation': 15 * i, 'width': 0.8, **style}).set_placement((10 * i, 60), align=align)
msp.add_text('between', dxfattribs={'height': 2.5, **style}).set_placement((0, 75), (30, 80), align=A.FIT)
msp.add_text('aligned', dxfattribs={'height': 2.5, **style}).set_placement((40, 75), (60, 70), align=A.ALIGNED)
inner = doc.blocks.new('INNER')
inner.add_line((0, 0), (4, 3))
inner.add_text('inner', dxfattribs={'height': 1, **style}).set_placement((1, 1))
outer = doc.blocks.new('OUTER', base_point=(2, 1))
outer.add_circle((2, 1), 3)
outer.add_blockref('INNER', (5, 5), dxfattribs={'rotation': 90, 'xscale': 2, 'yscale': 2})
outer.add_attdef('NAME', (0, -3), dxfattribs={'height': 2})
outer.add_attdef('FIXED', (0, -6), text='constant', dxfattribs={'height': 2, 'flags': 2, **style})
msp.add_blockref('OUTER', (120, 60), dxfattribs={'rotation': 30, 'xscale': 1.5, 'yscale': 1.5}).add_attrib('NAME', 'attribute', (118, 55), dxfattribs={'height': 2, 'rotation': 30, **style})
msp.add_blockref('OUTER', (160, 60), dxfattribs={'xscale': -1})
if not flat:
    msp.add_lwpolyline([(70, 40, 0, 0, 1), (80, 40, 0, 0, 0), (80, 50, 0, 0, -0.4)], close=True)
    msp.add_ellipse((110, 30), (9, 3), 0.4, 0.3, 4.1)
    msp.add_spline([(0, 100), (10, 120), (30, 95), (50, 110)])
    msp.add_rational_spline([(60, 100), (70, 115), (80, 100), (90, 110)], weights=[1, 3, 1, 1], degree=3)
    hatch = msp.add_hatch()
    hatch.paths.add_polyline_path([(0, 130), (20, 130, ), (20, 140), (0, 140)], is_closed=True)
    holed = msp.add_hatch()
    edge = holed.paths.add_edge_path()
    edge.add_arc((40, 135), 6, 0, 360)
    lined = msp.add_hatch()
    lined.set_pattern_fill('ANSI31', scale=1)
    lined.paths.add_polyline_path([(60, 130, 0.6), (80, 130), (80, 142)], is_closed=True)
    mtext = msp.add_mtext('first\\P{\\fArial|b0;second}', dxfattribs={'char_height': 2, 'width': 30, 'attachment_point': 4, 'insert': (110, 110), **style})
    dim = msp.add_linear_dim(base=(0, -15), p1=(0, 0), p2=(30, 0), dimstyle='EZDXF')
    dim.render()
    msp.add_wipeout([(130, 130), (140, 138)])
    mark = doc.blocks.new('MARK', base_point=(1, 0))
    mark.add_circle((0, 0), 5)
    mark.add_attdef('POS', (0, 0), '', dxfattribs={'height': 3, **style})
    marked = msp.add_multileader_block('Standard')
    marked.set_content(name='MARK', scale=1.5)
    marked.set_attribute('POS', 'position')
    marked.add_leader_line(mleader.ConnectionSide.left, [Vec2(-60, -90), Vec2(-30, -20)])
    marked.build(insert=Vec2(-20, 40), rotation=20)
    noted = msp.add_multileader_mtext('Standard')
    noted.set_content('note\\Pbelow', style='ARIAL', char_height=2, alignment=mleader.TextAlignment.left)
    noted.add_leader_line(mleader.ConnectionSide.right, [Vec2(120, 90)])
    noted.build(insert=Vec2(150, 150))
    paper = doc.layout('Layout1')
    paper.add_lwpolyline([(0, 0), (297, 0), (297, 210), (0, 210)], close=True)
    paper.add_viewport((100, 100), (120, 80), (60, 40), 160)
doc.saveas(f'{folder}/{version}.dxf')
`;
const SEE = String.raw`
import sys, json
import ezdxf
from ezdxf.addons.drawing import RenderContext, Frontend
from ezdxf.addons.drawing.backend import Backend
from ezdxf.tools.fonts import FontMeasurements
widths = json.load(open(sys.argv[2]))
class Eye(Backend):
    def __init__(self):
        super().__init__()
        self.texts, self.points = [], []
    def see(self, *points):
        for p in points: self.points.append((p.x, p.y))
    def set_background(self, color): pass
    def draw_point(self, pos, properties): self.see(pos)
    def draw_line(self, start, end, properties): self.see(start, end)
    def draw_filled_polygon(self, points, properties): self.see(*points)
    def draw_text(self, text, transform, properties, cap_height):
        at = transform.transform((0, 0, 0)); along = transform.transform((1, 0, 0)) - at
        self.texts.append([text.strip(), at.x, at.y, along.x, along.y])
    def get_font_measurements(self, cap_height, font=None): return FontMeasurements(0, 1, 0.7, 1 / 3).scale_from_baseline(cap_height)
    def get_text_line_width(self, text, cap_height, font=None): return widths.get(text.strip(), len(text)) * cap_height
    def clear(self): pass
doc = ezdxf.readfile(sys.argv[1])
eye = Eye()
Frontend(RenderContext(doc), eye).draw_layout(doc.modelspace())
xs, ys = [p[0] for p in eye.points], [p[1] for p in eye.points]
print(json.dumps({'texts': eye.texts, 'lines': [min(xs), min(ys), max(xs), max(ys)]}))
`;

interface Seen {
  readonly texts: readonly (readonly [text: string, x: number, y: number, alongX: number, alongY: number])[];
  readonly lines: readonly [number, number, number, number];
}

const python = (script: string, ...args: string[]) => execFileSync('/usr/bin/python3', ['-c', script, ...args], { encoding: 'utf8' });
const VERSIONS = ['R12', 'R2000', 'R2010', 'R2018'];

/** Bounding box of lines and areas in drawing coordinates. */
function linesBox({ origin, sheet }: Pick<SheetPicture, 'origin' | 'sheet'>): number[] {
  const box = [Infinity, Infinity, -Infinity, -Infinity];
  const see = (points: Float32Array) => {
    for (let i = 0; i < points.length; i += 2) {
      const [x, y] = [points[i]! + origin.x, points[i + 1]! + origin.y];
      box[0] = Math.min(box[0]!, x);
      box[1] = Math.min(box[1]!, y);
      box[2] = Math.max(box[2]!, x);
      box[3] = Math.max(box[3]!, y);
    }
  };
  for (const pen of sheet.lines) see(pen.points);
  for (const fill of sheet.fills) see(fill.points);
  return box;
}

describe('a drawing as ezdxf draws it', () => {
  const folder = mkdtempSync(join(tmpdir(), 'rule-drawing-'));
  beforeAll(() => {
    for (const version of VERSIONS) python(DRAW, folder, version);
  });
  afterAll(() => rmSync(folder, { recursive: true }));
  const bytesOf = (version: string) => new Uint8Array(readFileSync(join(folder, `${version}.dxf`)));

  it.each(VERSIONS)('has every text of %s at the same place, in the same direction, and the same extents', (version) => {
    const picture = drawSheet(bytesOf(version), 'model');
    const widths = join(folder, 'widths.json');
    // Both use the same letter widths; positions are compared.
    writeFileSync(widths, JSON.stringify(Object.fromEntries(picture.sheet.texts.map(({ text, length }) => [text.trim(), length]))));
    const seen = JSON.parse(python(SEE, join(folder, `${version}.dxf`), widths)) as Seen;
    // ezdxf omits constant attributes of blocks.
    expect(picture.sheet.texts.filter(({ text }) => text === 'constant')).toHaveLength(2);
    const ours = picture.sheet.texts
      .filter(({ text }) => text !== 'constant')
      .map(({ text, matrix }) => {
        const at = apply(matrix, { x: 0, y: 0 });
        const along = apply(matrix, { x: 1, y: 0 });
        return { text: text.trim(), x: at.x + picture.origin.x, y: at.y + picture.origin.y, angle: Math.atan2(along.y - at.y, along.x - at.x) };
      });
    expect(ours.map(({ text }) => text).sort()).toEqual(seen.texts.map(([text]) => text).sort());
    expect(ours.length).toBeGreaterThan(version === 'R12' ? 12 : 17);
    // ezdxf writes attributes of leaders from R2010 on, and leaders in R12 not at all.
    const ofLeaders = ours.filter(({ text }) => ['position', 'note', 'below'].includes(text));
    expect(ofLeaders).toHaveLength({ R12: 0, R2000: 2 }[version] ?? 3);
    for (const [text, x, y, alongX, alongY] of seen.texts) {
      const near = ours
        .filter((one) => one.text === text)
        .reduce((best, one) => (Math.hypot(one.x - x, one.y - y) < Math.hypot(best.x - x, best.y - y) ? one : best));
      expect([text, Math.hypot(near.x - x, near.y - y) < 0.12]).toEqual([text, true]);
      const turned = Math.abs(Math.atan2(Math.sin(near.angle - Math.atan2(alongY, alongX)), Math.cos(near.angle - Math.atan2(alongY, alongX))));
      expect([text, turned < 0.01]).toEqual([text, true]);
    }
    for (const [i, n] of linesBox(picture).entries()) expect([i, Math.abs(n - seen.lines[i]!) < 0.15]).toEqual([i, true]);
    expect(picture.left).toEqual({});
    expect(picture.cut).toBe(false);
  });

  it('shows the model through the view of its sheet, at its scale and in its middle', () => {
    const picture = drawSheet(bytesOf('R2010'), 'Layout1');
    const [view] = picture.views;
    expect(growth(view!.matrix)).toBeCloseTo(80 / 160, 9);
    // The view's target is at its centre.
    const model = drawSheet(bytesOf('R2010'), 'model');
    const middle = apply(view!.matrix, { x: 60 - model.origin.x, y: 40 - model.origin.y });
    expect(middle.x + picture.origin.x).toBeCloseTo(100, 5);
    expect(middle.y + picture.origin.y).toBeCloseTo(100, 5);
    expect(picture.model!.texts.length).toBe(model.sheet.texts.length);
    expect(picture.extent).toMatchObject({ width: 297, height: 210 });
    expect(drawSheet(bytesOf('R2010'), 'no such sheet').sheet.lines).toEqual([]);
  });

  it('names what a text is the attribute of', () => {
    const cells = drawSheet(bytesOf('R2010'), 'model').sheet.texts.filter((text) => text.cell !== null);
    expect(cells.map(({ text, cell }) => [text, cell!.tag, /^[0-9A-F]+$/.test(cell!.handle)])).toEqual([
      ['attribute', 'NAME', true],
      ['position', 'POS', true],
    ]);
  });
});

describe('curves', () => {
  const corner = fc.record({
    x: fc.double({ min: -50, max: 50, noNaN: true }),
    y: fc.double({ min: -50, max: 50, noNaN: true }),
    bulge: fc.double({ min: -1, max: 1, noNaN: true }),
  });
  const area = (points: readonly Point[]) =>
    Math.abs(points.reduce((sum, a, i) => sum + a.x * points[(i + 1) % points.length]!.y - points[(i + 1) % points.length]!.x * a.y, 0) / 2);

  it('of bent outlines enclose the area that the exact formula gives', () => {
    // A large triangle bulging outwards: no edges cross.
    const triangle = fc.tuple(
      fc.double({ min: 0, max: 1, noNaN: true }),
      fc.double({ min: 0, max: 1, noNaN: true }),
      fc.double({ min: 0, max: 1, noNaN: true }),
    );
    fc.assert(
      fc.property(triangle, ([a, b, c]) => {
        const corners = [
          { x: 0, y: 0, bulge: a },
          { x: 40, y: 0, bulge: b },
          { x: 0, y: 30, bulge: c },
        ];
        const exact = outlineArea(corners);
        expect(Math.abs(area(bentLine(corners, true)) - exact) / exact).toBeLessThan(0.008);
      }),
      // Slight bulges, rare in random numbers.
      { examples: [0.004, 0.0114, 0.037, 0.0714, 0.13, 0.2].map((bulge): [[number, number, number]] => [[bulge, bulge, bulge]]), numRuns: 500 },
    );
  });

  it('go through their corners, whatever the bends', () => {
    fc.assert(
      fc.property(fc.array(corner, { minLength: 2, maxLength: 6 }), fc.boolean(), (corners, closed) => {
        const line = bentLine(corners, closed);
        for (const { x, y } of corners) expect(line.some((p) => Math.hypot(p.x - x, p.y - y) < 1e-6)).toBe(true);
        expect(line.every((p) => Number.isFinite(p.x) && Number.isFinite(p.y))).toBe(true);
      }),
    );
  });

  it('of a rational spline give the exact circle that its weights mean', () => {
    // A quarter circle as a degree 2 spline: textbook example (Piegl and Tiller, The NURBS Book, 7.3).
    const points = splinePoints({
      degree: 2,
      knots: [0, 0, 0, 1, 1, 1],
      controls: [
        { x: 10, y: 0 },
        { x: 10, y: 10 },
        { x: 0, y: 10 },
      ],
      weights: [1, Math.SQRT1_2, 1],
    });
    for (const { x, y } of points) expect(Math.hypot(x, y)).toBeCloseTo(10, 9);
    expect(
      splinePoints({
        degree: 3,
        knots: [0, 1],
        controls: [
          { x: 0, y: 0 },
          { x: 1, y: 1 },
        ],
        weights: [],
      }),
    ).toEqual([
      { x: 0, y: 0 },
      { x: 1, y: 1 },
    ]);
  });
});

describe('hatches', () => {
  const square = [
    { x: 0, y: 0 },
    { x: 10, y: 0 },
    { x: 10, y: 10 },
    { x: 0, y: 10 },
  ];
  const hole = [
    { x: 4, y: 4 },
    { x: 6, y: 4 },
    { x: 6, y: 6 },
    { x: 4, y: 6 },
  ];
  const total = (lines: [Point, Point][] | null) => lines!.reduce((sum, [a, b]) => sum + Math.hypot(b.x - a.x, b.y - a.y), 0);

  it('have lines as long as their area asks for, and none in a hole', () => {
    const flat = { angle: 0, base: { x: 0, y: 0.5 }, offset: { x: 0, y: 1 }, dashes: [] };
    expect(total(hatchLines([square], [flat]))).toBeCloseTo(100, 9);
    expect(total(hatchLines([square, hole], [flat]))).toBeCloseTo(96, 9);
    expect(total(hatchLines([square], [{ ...flat, dashes: [1, -1] }]))).toBeCloseTo(50, 9);
    expect(total(hatchLines([square], [{ ...flat, angle: Math.PI / 4, offset: { x: -1, y: 1 } }, flat]))).toBeGreaterThan(100);
  });

  it('that are too dense are not drawn line by line', () => {
    expect(hatchLines([square], [{ angle: 0, base: { x: 0, y: 0 }, offset: { x: 0, y: 1e-5 }, dashes: [] }])).toBeNull();
    expect(hatchLines([square], [{ angle: 0, base: { x: 0, y: 0 }, offset: { x: 1, y: 0 }, dashes: [] }])).toEqual([]);
  });
});

describe('texts', () => {
  const settings = { height: 3, widthFactor: 0.9, oblique: 0, style: { file: 'arial.ttf' } };
  const place = { first: { x: 5, y: 5 }, second: { x: 25, y: 5 }, horizontal: 0, vertical: 0, rotation: 0, backwards: false, upsideDown: false };

  it('set between two points fill them, with their height or their proportions kept', () => {
    const fitted = setLine('Bearing', settings, { ...place, horizontal: 5 });
    expect(apply(fitted.matrix, { x: fitted.length, y: 1 })).toEqual({ x: expect.closeTo(25, 9), y: expect.closeTo(8, 9) });
    const aligned = setLine('Bearing', settings, { ...place, horizontal: 3 });
    const end = apply(aligned.matrix, { x: aligned.length, y: 1 });
    expect(end.x).toBeCloseTo(25, 9);
    expect((end.y - 5) / 20).toBeCloseTo(3 / (lineWidth('Bearing', settings.style, 3) * 0.9), 9);
  });

  it('lean, run backwards and stand upside down', () => {
    const lean = apply(setLine('A', { ...settings, oblique: 15 }, place).matrix, { x: 0, y: 1 });
    expect(lean.x - 5).toBeCloseTo(3 * Math.tan((15 * Math.PI) / 180), 9);
    expect(apply(setLine('A', settings, { ...place, backwards: true }).matrix, { x: 1, y: 0 }).x).toBeLessThan(5);
    expect(apply(setLine('A', settings, { ...place, upsideDown: true }).matrix, { x: 0, y: 1 }).y).toBeLessThan(5);
  });

  it('of several lines are broken where they would be wider than they may be', () => {
    const lines = setParagraph('Wheel with a long name\nand more', settings, { at: { x: 0, y: 0 }, attachment: 1, width: 20, angle: 0, spacing: 1 });
    expect(lines.map((line) => line.text)).toEqual(expect.arrayContaining(['and more']));
    for (const line of lines) expect(line.length * 3 * 0.9).toBeLessThanOrEqual(20.1);
    expect(lines.map((line) => line.matrix[5])).toEqual(lines.map((_, i) => expect.closeTo(-3 - i * 5, 9)));
  });
});

describe('what a hostile drawing asks for', () => {
  const dxf = (body: string) =>
    new TextEncoder().encode(
      `  0\nSECTION\n  2\nBLOCKS\n${body}  0\nENDSEC\n  0\nSECTION\n  2\nENTITIES\n  0\nINSERT\n  2\nA\n 10\n0\n 20\n0\n  0\nENDSEC\n  0\nEOF\n`,
    );
  const block = (name: string, inside: string) => `  0\nBLOCK\n  2\n${name}\n 10\n0\n 20\n0\n${inside}  0\nENDBLK\n`;
  const insert = (name: string, more = '') => `  0\nINSERT\n  2\n${name}\n 10\n0\n 20\n0\n${more}`;

  it('is drawn in part: blocks in themselves, and blocks of blocks without end', () => {
    expect(drawSheet(dxf(block('A', insert('A'))), 'model')).toMatchObject({ cut: true });
    const levels = Array.from({ length: 20 }, (_, i) => block(i === 0 ? 'A' : `A${i}`, insert(`A${i + 1}`).repeat(10))).join('');
    const picture = drawSheet(dxf(levels + block('A20', `  0\nLINE\n 10\n0\n 20\n0\n 11\n1\n 21\n1\n`)), 'model');
    expect(picture.cut).toBe(true);
    const many = drawSheet(dxf(block('A', insert('B', ' 70\n30000\n 71\n30000\n')) + block('B', `  0\nLINE\n 10\n0\n 20\n0\n 11\n1\n 21\n1\n`)), 'model');
    expect(many.cut).toBe(true);
  }, 120_000);

  it('leaves out numbers that are none', () => {
    const layer: Layer = drawSheet(dxf(block('A', `  0\nLINE\n 10\nNaN\n 20\n0\n 11\n1e999\n 21\n1\n  0\nCIRCLE\n 10\n0\n 20\n0\n 40\n-1\n`)), 'model').sheet;
    for (const pen of layer.lines) expect(pen.points.every(Number.isFinite)).toBe(true);
    expect(times(IDENTITY, IDENTITY)).toEqual(IDENTITY);
  });
});
