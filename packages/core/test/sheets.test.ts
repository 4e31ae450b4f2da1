import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { applyEdits, invertEdits } from '../src/files';
import { dxf } from '../src/files/dxf';
import { heldText } from '../src/values';

/**
 * Title blocks in drawings by ezdxf: several layouts with two block families, an anonymous variant, a nested block, a constant cell and a
 * missing one; then Rule's output, read and audited by ezdxf.
 */
const DRAW = String.raw`
import sys
import ezdxf
folder = sys.argv[1]
def attributes(block, *tags, layer='TEXTS', **more):
    for i, tag in enumerate(tags):
        block.add_attdef(tag, (2, 2 + 8 * i), dxfattribs={'height': 3.5, 'layer': layer, 'color': 3, 'style': 'LEAN', 'oblique': 12.0, 'prompt': tag.lower(), **more})
for version in ('R12', 'R2000', 'R2004', 'R2007', 'R2010', 'R2013', 'R2018'):
    doc = ezdxf.new(version, setup=True)
    doc.layers.add('TEXTS')
    doc.styles.add('LEAN', font='iso3098.shx')
    main = doc.blocks.new('Main-Frame')
    main.add_lwpolyline([(0, 0), (180, 0), (180, 40), (0, 40)], close=True) if version != 'R12' else main.add_polyline2d([(0, 0), (180, 0), (180, 40), (0, 40)], close=True)
    attributes(main, 'TITLE', 'NO')
    main.add_attdef('MAKER', (2, 30), text='Marrowby', dxfattribs={'flags': 2, 'height': 3.5})
    side = doc.blocks.new('SIDE')
    attributes(side, 'TITLE', 'PAGE')
    inner = doc.blocks.new('STAMP')
    attributes(inner, 'CHECKED')
    border = doc.blocks.new('BORDER')
    border.add_blockref('STAMP', (100, 5)).add_auto_attribs({'CHECKED': 'jh'})
    variant = doc.blocks.new('*U7')
    attributes(variant, 'TITLE', 'NO')
    if version != 'R12':
        variant.block_record.set_xdata('AcDbBlockRepBTag', [(1070, 1), (1005, main.block_record.dxf.handle)])
        doc.appids.add('AcDbBlockRepBTag')
    first = doc.layout('Layout1')
    first.add_blockref('MAIN-FRAME', (10, 10)).add_auto_attribs({'TITLE': 'First', 'NO': '1'})
    first.add_blockref('BORDER', (0, 0))
    if version != 'R12':
        second = doc.layouts.new('Back')
        second.add_blockref('SIDE', (5, 5), dxfattribs={'xscale': 2, 'yscale': 2, 'rotation': 90}).add_auto_attribs({'TITLE': 'Second', 'PAGE': '2'})
        third = doc.layouts.new('Third')
        third.add_blockref('*U7', (0, 0)).add_auto_attribs({'TITLE': 'Third', 'NO': '3'})
        # A drawing made before the block got its cell NO.
        late = third.add_blockref('Main-Frame', (0, 50))
        late.add_attrib('TITLE', 'Late', (2, 52), dxfattribs={'height': 3.5})
    doc.saveas(f'{folder}/{version}.dxf')
`;
const AUDIT = String.raw`
import sys, json
import ezdxf
out = []
for path in sys.argv[1:]:
    doc = ezdxf.readfile(path)
    found = {}
    layouts = [doc.layout('Layout1')] if doc.dxfversion == 'AC1009' else [l for l in doc.layouts if l.name != 'Model']
    for layout in layouts:
        for insert in layout.query('INSERT'):
            for a in insert.attribs:
                found[f'{layout.name}/{insert.dxf.name}/{a.dxf.tag}'] = [a.dxf.text, a.dxf.layer, a.dxf.get('color', 256), a.dxf.get('style', ''), a.dxf.get('oblique', 0), a.dxf.height, list(a.dxf.insert)[:2]]
    nested = [a.dxf.text for i in doc.blocks.get('BORDER').query('INSERT') for a in i.attribs]
    errors = [str(e.message) for e in doc.audit().errors]
    out.append({'found': found, 'nested': nested, 'errors': errors})
print(json.dumps(out))
`;

interface Audited {
  readonly found: Readonly<
    Record<string, readonly [text: string, layer: string, colour: number, style: string, oblique: number, height: number, at: readonly number[]]>
  >;
  readonly nested: readonly string[];
  readonly errors: readonly string[];
}

const python = (script: string, ...args: string[]) => execFileSync('/usr/bin/python3', ['-c', script, ...args], { encoding: 'utf8' });
const folder = mkdtempSync(join(tmpdir(), 'rule-sheets-'));
const VERSIONS = ['R12', 'R2000', 'R2004', 'R2007', 'R2010', 'R2013', 'R2018'];
const bytesOf = (version: string) => new Uint8Array(readFileSync(join(folder, `${version}.dxf`)));
beforeAll(() => void python(DRAW, folder));
afterAll(() => rmSync(folder, { recursive: true }));

const placed = (version: string) =>
  dxf.read(bytesOf(version)).inserts.map(({ block, madeFrom, layout, missing, fixed, inside }) => ({ block, madeFrom, layout, missing, fixed, inside }));

describe('title blocks that ezdxf has drawn', () => {
  it.each(VERSIONS.slice(1))('are found on all sheets of %s, by the block that they were made from', (version) => {
    const main = { madeFrom: 'Main-Frame', fixed: { MAKER: 'constant' }, inside: undefined };
    expect(placed(version)).toEqual(
      expect.arrayContaining([
        { ...main, block: 'MAIN-FRAME', madeFrom: 'MAIN-FRAME', layout: 'Layout1', missing: [] },
        { block: 'SIDE', madeFrom: 'SIDE', layout: 'Back', missing: [], fixed: {}, inside: undefined },
        { block: '*U7', madeFrom: 'Main-Frame', layout: 'Third', missing: [], fixed: {}, inside: undefined },
        { ...main, block: 'Main-Frame', layout: 'Third', missing: ['NO'] },
        { block: 'STAMP', madeFrom: 'STAMP', layout: 'Layout1', missing: [], fixed: {}, inside: 'border' },
      ]),
    );
    expect(placed(version)).toHaveLength(5);
    const { sheets } = dxf.read(bytesOf(version));
    const order = new Map(sheets.map((sheet) => [sheet.layout, sheet.order ?? -1]));
    expect(order.get('Layout1')).toBeLessThan(order.get('Back')!);
    expect(order.get('Back')).toBeLessThan(order.get('Third')!);
  });

  it('are found in the one paper space of R12', () => {
    expect(placed('R12').map(({ block, layout, inside }) => [block, layout, inside])).toEqual([
      ['MAIN-FRAME', 'paper', undefined],
      ['STAMP', 'paper', 'border'],
    ]);
  });

  it('are written so that ezdxf reads the same, finds nothing wrong, and taking it back leaves every byte as it was', () => {
    const written = VERSIONS.map((version) => {
      const before = bytesOf(version);
      const { inserts } = dxf.read(before);
      const holder = (block: string, layout: string) => inserts.find((insert) => insert.block === block && insert.layout === layout)?.holder;
      const set = (key: string | undefined, name: string, value: string) =>
        key === undefined ? [] : [{ holder: key, place: 'cell' as const, name, value: heldText(value) }];
      const paper = version === 'R12' ? 'paper' : 'Layout1';
      const edits = dxf.modify(before, [
        ...set(holder('MAIN-FRAME', paper), 'TITLE', 'Erste'),
        ...set(holder('STAMP', paper), 'CHECKED', 'kw'),
        ...set(holder('SIDE', 'Back'), 'PAGE', '2/3'),
        ...set(holder('*U7', 'Third'), 'NO', '3/3'),
        ...set(holder('Main-Frame', 'Third'), 'NO', '4'),
      ]);
      const after = applyEdits(before, edits);
      expect(Buffer.compare(applyEdits(after, invertEdits(before, edits)), before)).toBe(0);
      const path = join(folder, `${version}-written.dxf`);
      writeFileSync(path, after);
      return path;
    });
    const audited = JSON.parse(python(AUDIT, ...written)) as Audited[];
    for (const [i, { found, nested, errors }] of audited.entries()) {
      expect([VERSIONS[i], errors]).toEqual([VERSIONS[i], []]);
      expect(nested).toEqual(['kw']);
      const text = (end: string) => Object.entries(found).find(([key]) => key.endsWith(end))?.[1];
      expect(text('/MAIN-FRAME/TITLE')![0]).toBe('Erste');
      if (VERSIONS[i] === 'R12') continue;
      expect(text('Back/SIDE/PAGE')![0]).toBe('2/3');
      expect(text('Third/*U7/NO')![0]).toBe('3/3');
      // A missing cell is created as its block defines it: text, layer, colour, style, oblique angle, height, at the inserted position.
      expect(text('Third/Main-Frame/NO')).toEqual(['4', 'TEXTS', 3, 'LEAN', 12, 3.5, [2, 60]]);
    }
  });

  it('keep a constant cell out of reach', () => {
    const bytes = bytesOf('R2010');
    const { holder } = dxf.read(bytes).inserts.find((insert) => insert.block === 'MAIN-FRAME')!;
    expect(() => dxf.modify(bytes, [{ holder, place: 'cell', name: 'MAKER', value: heldText('x') }])).toThrow('is constant');
  });
});
