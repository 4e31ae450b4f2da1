import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { FileReading } from '../src/files';
import { dxf, julianInstant } from '../src/files/dxf';
import { outlineArea } from '../src/files/dxf/area';
import { EMPTY_SCHEMA, PreparedSchema, Property, SheetArea, areaOn, newDraft, newSheetArea } from '../src/schema';
import { compileStandIns } from '../src/values';

/**
 * Outline areas and containment against ezdxf, which draws the sheet and independently reports outlines, areas (by fine flattening) and
 * contained points.
 */
const DRAW = `
import json, sys, math
import ezdxf
from ezdxf import path, math as em
from ezdxf.tools.juliandate import juliandate
from datetime import datetime
doc = ezdxf.new('R2010', setup=True)
doc.units = ezdxf.units.FT
created = datetime(2026, 11, 28, 21, 58, 35)
doc.header['$TDCREATE'] = juliandate(created)
msp = doc.modelspace()
def poly(layer, points, old=False):
    if old:
        return msp.add_polyline2d([(p[0], p[1]) for p in points], dxfattribs={'layer': layer}, close=True)
    return msp.add_lwpolyline(points, format='xyb', dxfattribs={'layer': layer}, close=True)
rect = lambda x, y, w, h: [(x, y, 0), (x + w, y, 0), (x + w, y + h, 0), (x, y + h, 0)]
poly('ROOM', rect(0, 0, 12, 10))
poly('ROOM', rect(2, 2, 4, 3))          # a shaft in the room
poly('ROOM', rect(3, 3, 1, 1))          # a pillar in the shaft
poly('ROOM', rect(20, 0, 5, 4), old=True)
poly('TERRACE', rect(1, 6, 3, 3))       # on another layer, in the room
poly('TERRACE', [(40, 0, 0), (44, 0, math.tan(math.pi / 8)), (44, 6, 1), (40, 6, 0)])
msp.add_circle((30, 5), 2, dxfattribs={'layer': 'POOL'})
msp.add_text('HALL', dxfattribs={'insert': (8, 8), 'height': 0.3})
msp.add_text('Shaft', dxfattribs={'height': 0.3}).set_placement((5.5, 4.5), align=ezdxf.enums.TextEntityAlignment.MIDDLE_CENTER)
msp.add_mtext('{\\\\fArial;Terrace}', dxfattribs={'insert': (41, 3)})
msp.add_text('outside', dxfattribs={'insert': (100, 100), 'height': 0.3})
doc.saveas(sys.argv[1])
found = []
for e in list(msp.query('LWPOLYLINE')) + list(msp.query('POLYLINE')) + list(msp.query('CIRCLE')):
    flat = [em.Vec2(v) for v in path.make_path(e).flattening(1e-5)]
    inside = [t for t, p in {'HALL': (8, 8), 'Shaft': (5.5, 4.5), 'Terrace': (41, 3), 'outside': (100, 100)}.items() if em.is_point_in_polygon_2d(em.Vec2(p), flat) > 0]
    found.append({'layer': e.dxf.layer, 'area': abs(em.area(flat)), 'inside': inside})
print(json.dumps(found))
`;

interface Judged {
  readonly layer: string;
  readonly area: number;
  readonly inside: readonly string[];
}

const folder = mkdtempSync(join(tmpdir(), 'rule-areas-'));
let reading: FileReading;
let judged: Judged[];
beforeAll(() => {
  const path = join(folder, 'rooms.dxf');
  judged = JSON.parse(execFileSync('/usr/bin/python3', ['-c', DRAW, path], { encoding: 'utf8' })) as Judged[];
  reading = dxf.read(new Uint8Array(readFileSync(path)));
});
afterAll(() => rmSync(folder, { recursive: true }));

const model = () => reading.sheets.find((sheet) => sheet.layout === 'model')!;

describe('outlines of a drawing', () => {
  it('are as many and as large as ezdxf finds them, and enclose the same texts', () => {
    const { outlines, labels, unit } = model();
    expect(unit).toBe('ft');
    // Flattened curves are slightly off: three digits identify outlines.
    const key = ({ layer, area }: { layer: string; area: number }) => `${layer} ${area.toPrecision(3)}`;
    expect(outlines.map(key).sort()).toEqual(judged.map(key).sort());
    for (const { text, outlines: around } of labels!) {
      const expected = judged.filter((entry) => entry.inside.includes(text));
      expect(around.map((index) => key(outlines[index]!)).sort()).toEqual(expected.map(key).sort());
    }
    expect(labels!.map((label) => label.text).sort()).toEqual(['HALL', 'Shaft', 'Terrace']);
  });
  it('lie in the smallest one of their own layer', () => {
    const { outlines } = model();
    const around = outlines.map(({ layer, area, within }) => [layer, area, within == null ? null : outlines[within]!.area]);
    expect(around).toContainEqual(['ROOM', 12, 120]);
    expect(around).toContainEqual(['ROOM', 1, 12]);
    expect(around).toContainEqual(['ROOM', 20, null]);
    expect(around).toContainEqual(['TERRACE', 9, null]);
  });
});

describe('an area that a property names', () => {
  const area = (change: Partial<SheetArea>): number | null => {
    const { outlines, labels } = model();
    return areaOn({ outlines: outlines.map((outline) => ({ ...outline, within: outline.within ?? null })), labels: labels! }, { ...newSheetArea(), ...change });
  };
  // By hand from the drawing: 12 × 10 with a 4 × 3 hole containing a 1 × 1 pillar, and 5 × 4; the terrace is 3 × 3.
  it.each<[string, Partial<SheetArea>, number | null]>([
    ['all of a layer, without its holes', { layer: 'ROOM' }, 120 - 12 + 1 + 20],
    ['all of a layer, holes counted', { layer: 'room ', holes: false }, 120 + 12 + 1 + 20],
    ['the largest of a layer, without its holes', { of: 'largest of a layer', layer: 'ROOM' }, 108],
    ['the largest of a layer as drawn', { of: 'largest of a layer', layer: 'ROOM', holes: false }, 120],
    ['around a text', { of: 'around a text', text: 'hall' }, 108],
    ['around a text in an inner outline', { of: 'around a text', text: 'Shaft' }, 11],
    ['around a text on a layer that is not the nearest', { of: 'around a text', text: 'Shaft', layer: 'ROOM', holes: false }, 12],
    ['around a text that is not there', { of: 'around a text', text: 'Attic' }, null],
    ['around a text on a layer that has no outline there', { of: 'around a text', text: 'HALL', layer: 'POOL' }, null],
    ['around nothing', { of: 'around a text', text: ' ' }, null],
    ['of a layer that is not there', { layer: 'ROOF' }, null],
    ['of no layer', { layer: '' }, null],
  ])('%s', (_title, change, expected) => expect(area(change)).toEqual(expected));

  it('comes in the unit and with the decimals of the property', () => {
    const property: Property = {
      ...newDraft('Floor'),
      id: 1,
      retired: false,
      kinds: ['drawing'],
      type: 'number',
      unit: 'm²',
      decimals: 2,
      feed: 'sheet',
      sheetFact: 'closed area',
      sheetArea: { ...newSheetArea(), layer: 'ROOM', holes: false },
    };
    const schema = new PreparedSchema({ ...EMPTY_SCHEMA, properties: [property] }, { standIns: compileStandIns([]), states: [], instant: 0 });
    // A foot is 0.3048 m (NIST SP 811): 153 ft² are 14.2141632… m².
    const outlines = model().outlines.map((outline) => ({ ...outline, area: outline.area * 0.3048 ** 2, within: outline.within ?? null }));
    const sheet = { layout: 'model', scale: null, size: null, outlines, labels: [] };
    const file = {
      id: 1,
      kind: 'drawing',
      className: null,
      state: null,
      name: '',
      folder: '',
      held: new Map(),
      geometry: null,
      model: null,
      parts: [],
      above: {},
    } as const;
    expect(schema.judge({ ...file, sheets: [sheet] }).values.get(1)!.value).toEqual({ text: '14.21', form: 'measure', unit: 'm²' });
  });
});

describe('when a drawing was made', () => {
  const fields = () => Object.fromEntries(reading.holders[0]!.values.filter((value) => value.place === 'field').map((value) => [value.name, value.held.text]));
  it('is read as ezdxf wrote it', () => {
    expect(fields()).toMatchObject({ created: '2026-11-28T21:58:35', modified: expect.stringMatching(/^\d{4}-\d\d-\d\dT[\d:]{8}$/) as unknown });
  });
  it('is what the reference of the format says', () => {
    // Example from the DXF reference (from memory).
    expect(julianInstant(2451544.91568287)).toBe('1999-12-31T21:58:35');
    expect([julianInstant(0), julianInstant(Number.NaN), julianInstant(9e9)]).toEqual([null, null, null]);
  });
  it('is nothing that anybody writes', () => {
    const bytes = new Uint8Array(readFileSync(join(folder, 'rooms.dxf')));
    expect(() => dxf.modify(bytes, [{ holder: '', place: 'field', name: 'created', value: { text: '2026-01-01', form: 'text' } }])).toThrow(
      'cannot be changed',
    );
  });
});

describe('the area of an outline', () => {
  const square = (bulge: number, turned = false) => {
    const corners = [
      { x: 0, y: 0, bulge },
      { x: 10, y: 0, bulge: 0 },
      { x: 10, y: 10, bulge: 0 },
      { x: 0, y: 10, bulge: 0 },
    ];
    if (!turned) return corners;
    // Reversed, an edge belongs to its other vertex and bulges the other way.
    return [...corners].reverse().map((corner, i, all) => ({ ...corner, bulge: -all[(i + 1) % 4]!.bulge + 0 }));
  };
  // Half a disc of radius 5 on one side, outside or inside: by hand.
  const half = (Math.PI * 25) / 2;
  it.each([
    ['straight', 0, 100],
    ['bent outwards', 1, 100 + half],
    ['bent inwards', -1, 100 - half],
  ])('%s, in both directions', (_, bulge, area) => {
    expect(outlineArea(square(bulge))).toBeCloseTo(area, 9);
    expect(outlineArea(square(bulge, true))).toBeCloseTo(area, 9);
  });
  it('of a quarter arc is that of its segment', () => {
    // tan(90° ÷ 4): a quarter circle of radius 5·√2 over a side of 10, r²(π/2 − 1)/2 beyond it.
    expect(outlineArea(square(Math.tan(Math.PI / 8)))).toBeCloseTo(100 + (50 * (Math.PI / 2 - 1)) / 2, 9);
  });
});
