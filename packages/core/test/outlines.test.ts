import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { FileReading } from '../src/files';
import { dxf } from '../src/files/dxf';
import { CellForm, OutlineRule, PLAIN_CELL, PLAIN_OUTLINES, checkMapping } from '../src/schema';
import { OutlineFact, PlacedOutlines, countedOutlines, layerOutlines, outlineText, placedOutlines, readTyped, typedText } from '../src/titleblocks';

/**
 * Room tags, in the model and on the sheet, against ezdxf: it draws them, carries points through viewports by its own matrices, and
 * measures outlines by fine flattening.
 */
const DRAW = `
import json, sys, math
import ezdxf
from ezdxf import path, math as em
version, target = sys.argv[1], sys.argv[2]
doc = ezdxf.new(version, setup=True)
doc.header['$INSUNITS'] = 4
tag = doc.blocks.new('ROOM_TAG')
tag.add_attdef('AREA', (0, 0), dxfattribs={'height': 2})
msp = doc.modelspace()
rooms = []
def room(layer, points):
    rooms.append(msp.add_lwpolyline(points, format='xyb', dxfattribs={'layer': layer}, close=True) if version != 'R12'
        else msp.add_polyline2d(points, format='xyb', dxfattribs={'layer': layer}, close=True))
rect = lambda x, y, w, h: [(x, y, 0), (x + w, y, 0), (x + w, y + h, 0), (x, y + h, 0)]
room('ROOM', rect(0, 0, 6000, 4000))
room('ROOM', rect(1000, 1000, 500, 500))                     # a shaft
room('ROOM', [(6000, 0, 0), (9000, 0, 1), (9000, 4000, 0), (6000, 4000, 0)])   # with a round end
room('SLAB', rect(-500, -500, 12500, 5000))
room('ROOM', rect(20000, 0, 3000, 3000))                     # in the second view only
at = {'hall': (4000, 2000), 'shaft': (1200, 1200), 'apse': (10000, 2000), 'store': (21000, 1000), 'yard': (-300, -300)}
for name, point in at.items():
    msp.add_blockref('ROOM_TAG', point).add_attrib('AREA', name, point)
sheet = doc.layout('Layout1')
views = [
    sheet.add_viewport(center=(100, 100), size=(150, 80), view_center_point=(5750, 2000), view_height=8000),
    sheet.add_viewport(center=(260, 100), size=(60, 60), view_center_point=(-1500, 21500), view_height=6000),
]
views[1].dxf.view_twist_angle = 90
seen = {}
for name, view in (('hall', views[0]), ('apse', views[0]), ('store', views[1])):
    point = view.get_transformation_matrix().transform(em.Vec3(*at[name], 0))
    seen[name] = [point.x, point.y]
    sheet.add_blockref('ROOM_TAG', point).add_attrib('AREA', 'seen ' + name, point)
sheet.add_blockref('ROOM_TAG', (100, 50)).add_attrib('AREA', 'title', (100, 50))    # below the first view
doc.saveas(target)
found = []
for e in rooms:
    flat = [em.Vec2(v) for v in path.make_path(e).flattening(1e-2)]
    turn = lambda m, v: (lambda p: (p.x, p.y))(m.transform(em.Vec3(v.x, v.y, 0)))
    def inside(view):
        (x0, y0), (x1, y1) = view.clipping_rect()
        m = view.get_transformation_matrix()
        return all(x0 <= x <= x1 and y0 <= y <= y1 for x, y in (turn(m, v) for v in flat))
    found.append({
        'layer': e.dxf.layer,
        'area': abs(em.area(flat)),
        'length': sum(a.distance(b) for a, b in zip(flat, flat[1:] + flat[:1])),
        'around': [n for n, p in at.items() if em.is_point_in_polygon_2d(em.Vec2(p), flat) > 0],
        'views': [i for i, view in enumerate(views) if inside(view)],
    })
print(json.dumps({'rooms': found}))
`;

interface Room {
  readonly layer: string;
  readonly area: number;
  readonly length: number;
  readonly around: readonly string[];
  readonly views: readonly number[];
}

const folder = mkdtempSync(join(tmpdir(), 'rule-outlines-'));
afterAll(() => rmSync(folder, { recursive: true }));

describe.each(['R12', 'R2010'])('outlines around blocks of %s', (version) => {
  let reading: FileReading;
  let rooms: Room[];
  beforeAll(() => {
    const path = join(folder, `${version}.dxf`);
    rooms = (JSON.parse(execFileSync('/usr/bin/python3', ['-c', DRAW, version, path], { encoding: 'utf8' })) as { rooms: Room[] }).rooms;
    reading = dxf.read(new Uint8Array(readFileSync(path)));
  });

  /** The placed block whose cell has a text. */
  const placed = (text: string): PlacedOutlines | null => {
    const holder = reading.holders.find(({ values }) => values.some((value) => value.place === 'cell' && value.held.text === text))!;
    return placedOutlines(
      reading.inserts.find((insert) => insert.holder === holder.key)!,
      reading.sheets,
    );
  };
  const sheetOf = (text: string): string =>
    reading.inserts.find(({ holder }) => reading.holders.some((one) => one.key === holder && one.values.some((value) => value.held.text === text)))!.layout;
  const close = (a: number, b: number) => Math.abs(a - b) <= 1e-3 * Math.abs(b);

  it.each(['hall', 'shaft', 'apse', 'store', 'yard'])('are those in which ezdxf finds the tag of the %s, as large and as long', (name) => {
    const expected = rooms.filter(({ around }) => around.includes(name)).sort((a, b) => a.area - b.area);
    const found = placed(name)?.around ?? [];
    expect(found.map(({ layer }) => layer)).toEqual(expected.map(({ layer }) => layer));
    for (const [i, { area, length }] of found.entries()) {
      expect(close(area, expected[i]!.area)).toBe(true);
      expect(close(length, expected[i]!.length)).toBe(true);
    }
  });
  it.each(['hall', 'apse', 'store'])('are the same for a tag on the sheet over the %s', (name) => {
    expect(sheetOf(`seen ${name}`)).not.toBe('model');
    expect(placed(`seen ${name}`)!.around).toEqual(placed(name)!.around);
  });
  it('add up to what a view shows as a whole', () => {
    for (const [index, name] of ['seen hall', 'seen store'].entries()) {
      const { scale, layers } = placed(name)!.view!;
      expect(scale).toBeCloseTo(0.01, 12);
      for (const layer of ['ROOM', 'SLAB']) {
        const shown = rooms.filter((room) => room.layer === layer && room.views.includes(index));
        const total = layers.find((one) => one.layer === layer);
        expect(total === undefined).toBe(shown.length === 0);
        if (!total) continue;
        expect(
          close(
            total.area,
            shown.reduce((sum, { area }) => sum + area, 0),
          ),
        ).toBe(true);
        expect(
          close(
            total.length,
            shown.reduce((sum, { length }) => sum + length, 0),
          ),
        ).toBe(true);
      }
    }
  });
  it('a block beside a view belongs to the nearest one, and nothing surrounds it', () => {
    const title = placed('title')!;
    expect(title.view!.layers).toEqual(placed('seen hall')!.view!.layers);
    expect(title.around).toEqual([]);
  });

  const shown = (fact: OutlineFact, text: string, rule: Partial<OutlineRule> = {}, form: Partial<CellForm> = {}): string => {
    const layers = layerOutlines(countedOutlines('model', reading.sheets));
    const cell = outlineText(fact, placed(text), layers, 'mm', { ...PLAIN_CELL, ...form, outlines: { ...PLAIN_OUTLINES, ...rule } });
    return cell.state === 'value' ? cell.text : cell.why;
  };
  // By hand: 6 m × 4 m with a shaft of 0.5 m × 0.5 m; the apse is 3 m × 4 m and half a circle of radius 2 m.
  it.each<[string, () => string, string]>([
    ['area without the shaft', () => shown('outline area', 'hall'), '23.75'],
    ['area with the shaft', () => shown('outline area', 'hall', { holes: false }), '24.00'],
    ['boundary with that of the shaft', () => shown('outline length', 'hall'), '22.00'],
    ['boundary alone', () => shown('outline length', 'hall', { holes: false }), '20.00'],
    ['round end', () => shown('outline area', 'apse', {}, { decimals: 3 }), (12 + 2 * Math.PI).toFixed(3)],
    ['length of a round end', () => shown('outline length', 'apse', {}, { decimals: 3 }), (3 + 4 + 3 + 2 * Math.PI).toFixed(3)],
    ['unit and comma', () => shown('outline area', 'hall', {}, { unit: true, decimalSign: 'comma', decimals: 1 }), '23,8 m²'],
    // 23.75 m² ÷ 0.3048² (NIST SP 811)
    ['square feet', () => shown('outline area', 'hall', {}, { inUnit: 'ft²', decimals: 1 }), '255.6'],
    ['feet and inches', () => shown('outline length', 'hall', { holes: false }, { inUnit: 'ft', number: 'feet and inches', denominator: 8 }), `65'-7 3/8"`],
    ['the outline of another layer', () => shown('outline area', 'hall', { layer: 'slab' }), '62.50'],
    ['a layer that does not surround it', () => shown('outline area', 'store', { layer: 'SLAB' }), 'no closed outline on the layer SLAB surrounds the block'],
    ['total of a layer', () => shown('outline area', 'hall', { of: 'of the drawing', layer: 'room' }), (24 - 0.25 + 12 + 2 * Math.PI + 9).toFixed(2)],
    ['total of a view', () => shown('outline area', 'seen store', { of: 'in its view', layer: 'ROOM' }), '9.00'],
    ['no view in the model', () => shown('outline area', 'hall', { of: 'in its view', layer: 'ROOM' }), 'the sheet has no view that the block belongs to'],
    [
      'a layer that a view does not show',
      () => shown('outline area', 'seen store', { of: 'in its view', layer: 'SLAB' }),
      'its view shows no closed outline on the layer SLAB',
    ],
  ])('%s', (_title, text, expected) => expect(text()).toBe(expected));
});

describe('outlines of drawings without a unit', () => {
  const placed: PlacedOutlines = { around: [{ layer: 'R', area: 144, length: 48 }], view: null };
  const shown = (outlines: OutlineRule) => outlineText('outline area', placed, [], null, { ...PLAIN_CELL, outlines });
  it('are not guessed', () => expect(shown(PLAIN_OUTLINES)).toMatchObject({ state: 'blank', why: 'the drawing does not state its unit' }));
  it('are measured in the unit that the binding names', () => expect(shown({ ...PLAIN_OUTLINES, unit: 'in' })).toEqual({ state: 'value', text: '1.00' }));
});

describe('bindings of outlines', () => {
  it('are typed by name', () => {
    const { shows } = readTyped('{outline area} m²', []);
    expect(shows).toEqual([{ fact: 'outline area', form: PLAIN_CELL }, { words: ' m²' }]);
    expect(typedText(shows, [])).toBe('{outline area} m²');
  });
  it('name the layer of a total', () => {
    const binding = (outlines: OutlineRule) => ({
      id: 1,
      block: null,
      cell: 'AREA',
      leads: false,
      shows: [{ fact: 'outline area' as const, form: { ...PLAIN_CELL, outlines } }],
    });
    expect(checkMapping([], [binding({ ...PLAIN_OUTLINES, of: 'in its view' })], []).map(({ code }) => code)).toEqual(['no-layer']);
    expect(checkMapping([], [binding({ ...PLAIN_OUTLINES, of: 'in its view', layer: 'ROOM' })], [])).toEqual([]);
  });
});
