import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { FileChange, PLACED, applyEdits, formatById, placedText } from '../src/files';
import { carriedBlock, definitionText } from '../src/files/dxf';
import { heldText } from '../src/values';

const format = formatById('dxf');
const demo = (name: string) => new Uint8Array(readFileSync(join(import.meta.dirname, '../../demo/library/DR-15/drawings', name)));

/** Drawings by ezdxf: one with a block of many entity types, others without it, in other versions and code pages. */
const MAKE = String.raw`
import sys, ezdxf
from ezdxf.enums import TextEntityAlignment as A
out = sys.argv[1]
src = ezdxf.new('R2010', setup=True)
src.units = 4
src.layers.add('MILLING', color=3, linetype='DASHED')
src.styles.add('NARROW', font='arial.ttf', dxfattribs={'width': 0.7})
b = src.blocks.new('STAMP', base_point=(1, 2))
b.add_line((0, 0), (60, 0), dxfattribs={'layer': 'MILLING'})
b.add_lwpolyline([(0, 0), (60, 0, 0, 0, 0.4), (60, 20), (0, 20)], close=True)
b.add_polyline2d([(5, 5), (10, 5), (10, 10)])
b.add_circle((30, 10), 4)
b.add_arc((30, 10), 6, 0, 90)
b.add_ellipse((45, 10), (5, 0), 0.5)
b.add_solid([(1, 1), (2, 1), (1, 2), (2, 2)])
b.add_text('Prüfer', dxfattribs={'height': 2.5, 'style': 'NARROW'}).set_placement((3, 15), align=A.LEFT)
b.add_mtext('two\nlines', dxfattribs={'char_height': 2, 'insert': (20, 15)})
b.add_attdef('BY', (5, 2), 'x', dxfattribs={'height': 3.5, 'style': 'NARROW', 'layer': 'MILLING', 'linetype': 'CENTER'})
b.add_attdef('ON', (30, 2), '', dxfattribs={'height': 3.5, 'prompt': 'date'})
src.layout('Layout1').add_blockref('STAMP', (10, 10)).add_auto_attribs({'BY': 'me'})
nested = src.blocks.new('NESTED')
nested.add_attdef('A', (0, 0))
nested.add_blockref('STAMP', (0, 0))
src.saveas(out + '/source.dxf')
for version in ('R2000', 'R2007', 'R2018'):
    doc = ezdxf.new(version, setup=False)
    doc.units = 4
    if version == 'R2000':
        doc.encoding = 'cp1252'
    t = doc.blocks.new('TITLE')
    t.add_attdef('NO', (0, 0))
    doc.layout('Layout1').add_blockref('TITLE', (200, 10)).add_auto_attribs({'NO': '1'})
    doc.saveas(f'{out}/{version}.dxf')
inch = ezdxf.new('R2010')
inch.units = 1
inch.blocks.new('TITLE').add_attdef('NO', (0, 0))
inch.layout('Layout1').add_blockref('TITLE', (2, 1)).add_auto_attribs({'NO': '1'})
inch.saveas(out + '/inch.dxf')
`;
/** ezdxf's audit findings and its view of a block. */
const SEE = String.raw`
import sys, json, ezdxf
from ezdxf.lldxf.encoding import decode_dxf_unicode as plain
doc = ezdxf.readfile(sys.argv[1])
name = sys.argv[2]
kinds = {}
if name in doc.blocks:
    for e in doc.blocks.get(name):
        kinds[e.dxftype()] = kinds.get(e.dxftype(), 0) + 1
print(json.dumps({
  'errors': [e.message for e in doc.audit().errors], 'kinds': kinds,
  'base': list(doc.blocks.get(name).block.dxf.base_point)[:2] if name in doc.blocks else None,
  'layers': sorted(plain(l.dxf.name) for l in doc.layers), 'styles': sorted(s.dxf.name for s in doc.styles), 'types': sorted(t.dxf.name for t in doc.linetypes),
  'texts': [{a.dxf.tag: plain(a.dxf.text) for a in i.attribs} for l in doc.layouts for i in l.query(f'INSERT[name=="{name}"]')],
  'drawn': [plain(e.dxf.text) for e in doc.blocks.get(name) if e.dxftype() == 'TEXT'] if name in doc.blocks else [],
}))
`;
let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'rule-carry-'));
  execFileSync('/usr/bin/python3', ['-c', MAKE, folder]);
});
afterAll(() => rmSync(folder, { recursive: true }));
const made = (name: string) => new Uint8Array(readFileSync(join(folder, `${name}.dxf`)));

interface Seen {
  readonly errors: string[];
  readonly kinds: Record<string, number>;
  readonly base: number[] | null;
  readonly layers: string[];
  readonly styles: string[];
  readonly types: string[];
  readonly texts: Record<string, string>[];
  readonly drawn: string[];
}
function seen(bytes: Uint8Array, block: string): Seen {
  const path = join(folder, 'seen.dxf');
  writeFileSync(path, bytes);
  return JSON.parse(execFileSync('/usr/bin/python3', ['-c', SEE, path, block], { encoding: 'utf8' })) as Seen;
}
const textOf = (bytes: Uint8Array, name: string) => definitionText(format.read(bytes).blocks.find((block) => block.name === name)!);
/** Changes that define a block as in another drawing, and insert it once. */
function bring(from: Uint8Array, into: Uint8Array, name: string, layout: string, cells: Record<string, string> = {}): FileChange[] {
  const holder = `insert:${format.read(into).nextHandle!}`;
  return [
    { holder: '', place: 'block', name, value: heldText(textOf(from, name)), definition: carriedBlock(from, name) },
    { holder, place: 'placed', name: PLACED, value: heldText(placedText({ block: name, at: { x: 50, y: 60 }, scale: 1, layout })) },
    ...Object.entries(cells).map(([tag, text]): FileChange => ({ holder, place: 'cell', name: tag, value: heldText(text) })),
  ];
}

describe('a block that is brought from another drawing', () => {
  it('is placed in the same step, and reads back as it was', () => {
    const [from, into] = [demo('DR15-200 drum unit.dxf'), demo('DR15-115 agitator arm.dxf')];
    const after = applyEdits(into, format.modify(into, bring(from, into, 'MRW-PART-ROW', 'Sheet 1', { POS: '1', DESCR: 'Drum' })));
    expect(textOf(after, 'MRW-PART-ROW')).toBe(textOf(from, 'MRW-PART-ROW'));
    expect(seen(after, 'MRW-PART-ROW')).toMatchObject({
      errors: [],
      kinds: seen(from, 'MRW-PART-ROW').kinds,
      texts: [{ POS: '1', QTY: '', PARTNO: '', DESCR: 'Drum', MATL: '' }],
    });
    // Nothing else changes.
    const others = format.read(after).holders.filter((holder) => holder.label !== 'MRW-PART-ROW');
    expect(others).toEqual(format.read(into).holders);
  });

  it.each(['R2000', 'R2007', 'R2018'])('takes along the layers, styles and line types that a drawing lacks (%s), clean to ezdxf', (version) => {
    const [from, into] = [made('source'), made(version)];
    const after = applyEdits(into, format.modify(into, bring(from, into, 'STAMP', 'Layout1', { BY: 'Jörg', ON: '2026-11-30' })));
    const [there, here] = [seen(from, 'STAMP'), seen(after, 'STAMP')];
    expect([here.errors, here.kinds, here.base, here.drawn]).toEqual([[], there.kinds, there.base, ['Prüfer']]);
    expect(here.texts).toEqual([{ BY: 'Jörg', ON: '2026-11-30' }]);
    expect([here.layers.includes('MILLING'), here.styles.includes('NARROW')]).toEqual([true, true]);
    expect(here.types.map((name) => name.toUpperCase())).toEqual(expect.arrayContaining(['DASHED', 'CENTER']));
    expect(textOf(after, 'STAMP')).toBe(textOf(from, 'STAMP'));
  });

  it('takes the place of one that the drawing has, whose inserts stay', () => {
    const from = made('source');
    const into = made('R2018');
    const first = applyEdits(into, format.modify(into, bring(from, into, 'STAMP', 'Layout1', { BY: 'me' })));
    const carried = carriedBlock(from, 'STAMP');
    const wider = { ...carried, entities: carried.entities.filter(({ type }) => type !== 'CIRCLE') };
    const second = applyEdits(first, format.modify(first, [{ holder: '', place: 'block', name: 'STAMP', value: heldText('other'), definition: wider }]));
    const now = seen(second, 'STAMP');
    expect([now.errors, now.kinds['CIRCLE'], now.kinds['ATTDEF'], now.texts]).toEqual([[], undefined, 2, [{ BY: 'me', ON: '' }]]);
    expect(textOf(second, 'STAMP')).not.toBe(textOf(first, 'STAMP'));
  });

  it('goes away with its record', () => {
    const [from, into] = [made('source'), made('R2018')];
    const [define] = bring(from, into, 'STAMP', 'Layout1');
    const after = applyEdits(into, format.modify(into, [define!]));
    const gone = applyEdits(after, format.modify(after, [{ holder: '', place: 'block', name: 'STAMP', value: null }]));
    expect(seen(gone, 'STAMP')).toMatchObject({ errors: [], base: null });
    expect(format.read(gone).holders).toEqual(format.read(into).holders);
  });

  it('is refused where it would not be the same', () => {
    expect(() => carriedBlock(made('source'), 'NESTED')).toThrow('The block NESTED contains INSERT, which cannot be copied to another drawing.');
    expect(() => carriedBlock(made('source'), 'NOTHING')).toThrow('does not define the block NOTHING');
    const into = made('inch');
    expect(() => format.modify(into, bring(made('source'), into, 'STAMP', 'Layout1'))).toThrow('drawn in another unit');
    expect(() => format.modify(into, [{ holder: '', place: 'block', name: 'X', value: heldText('x') }])).toThrow('not said what the block X consists of');
    expect(() => format.modify(into, [{ holder: '', place: 'block', name: 'X', value: null }])).toThrow('does not define the block X');
  });
});
