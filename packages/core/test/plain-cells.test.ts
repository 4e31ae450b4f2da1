import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { cellsOnSheet } from '../src/drawing';
import { applyEdits, invertEdits } from '../src/files';
import { dxf } from '../src/files/dxf';
import { heldText } from '../src/values';

/** Sheets whose title block is not a block: lines and plain texts, by ezdxf; and a table of single texts, which is none. */
const DRAW = String.raw`
import sys
import ezdxf
folder = sys.argv[1]
for version in ('R12', 'R2000', 'R2010', 'R2018'):
    doc = ezdxf.new(version, setup=True)
    sheet = doc.layout('Layout1')
    box = sheet.add_polyline2d if version == 'R12' else sheet.add_lwpolyline
    for i, (caption, value) in enumerate((('Material', 'S235JR'), ('Drawn:', 'J. Hart'), ('Title', 'Wheel %%c200'), ('Scale', '1:2'))):
        x = 60 * i
        box([(x, 0), (x + 60, 0), (x + 60, 12), (x, 12)], close=True)
        sheet.add_text(caption, dxfattribs={'height': 1.8}).set_placement((x + 2, 9))
        if caption == 'Title' and version != 'R12':
            sheet.add_mtext(value, dxfattribs={'char_height': 3.5, 'insert': (x + 2, 6), 'width': 50})
        else:
            sheet.add_text(value, dxfattribs={'height': 3.5}).set_placement((x + 2, 2))
    # Equal lettering side by side, and a box with one text alone.
    box([(0, 20), (60, 20), (60, 28), (0, 28)], close=True)
    sheet.add_text('Finish', dxfattribs={'height': 2.5}).set_placement((2, 22))
    sheet.add_text('brushed', dxfattribs={'height': 2.5}).set_placement((30, 22))
    box([(60, 20), (120, 20), (120, 28), (60, 28)], close=True)
    sheet.add_text('NOT TO BE SCALED', dxfattribs={'height': 2.5}).set_placement((62, 22))
    # Formatted inside: nothing of it may be lost.
    if version != 'R12':
        box([(120, 20), (180, 20), (180, 28), (120, 28)], close=True)
        sheet.add_text('Note', dxfattribs={'height': 1.8}).set_placement((122, 26))
        sheet.add_mtext('{\\fArial|b1;bold} text', dxfattribs={'char_height': 2.5, 'insert': (122, 25)})
    table = doc.modelspace()
    for i in range(12):
        table.add_line((0, 10 * i), (50, 10 * i))
        table.add_text(f'row {i}', dxfattribs={'height': 3}).set_placement((2, 10 * i + 2))
    doc.saveas(f'{folder}/{version}.dxf')
`;
const READ = String.raw`
import sys, json, ezdxf
out = []
for path in sys.argv[1:]:
    doc = ezdxf.readfile(path)
    out.append({'texts': sorted([t.dxf.text if t.dxftype() == 'TEXT' else t.text for t in doc.layout('Layout1').query('TEXT MTEXT')]), 'errors': [e.message for e in doc.audit().errors]})
print(json.dumps(out))
`;
const VERSIONS = ['R12', 'R2000', 'R2010', 'R2018'];
const python = (script: string, ...args: string[]) => execFileSync('/usr/bin/python3', ['-c', script, ...args], { encoding: 'utf8' });

describe('plain texts of a sheet', () => {
  const folder = mkdtempSync(join(tmpdir(), 'rule-plain-'));
  beforeAll(() => void python(DRAW, folder));
  afterAll(() => rmSync(folder, { recursive: true }));
  const bytesOf = (version: string) => new Uint8Array(readFileSync(join(folder, `${version}.dxf`)));
  const texts = (bytes: Uint8Array) => {
    const holder = dxf.read(bytes).holders.find((one) => one.label === 'Plain texts');
    return Object.fromEntries(holder?.values.map((value) => [value.name, value.held.text]) ?? []);
  };

  it.each(VERSIONS)('are cells where they have a caption in their box, on sheets of %s', (version) => {
    const reading = dxf.read(bytesOf(version));
    expect(texts(bytesOf(version))).toEqual({ Material: 'S235JR', Drawn: 'J. Hart', Title: 'Wheel ⌀200', Scale: '1:2', Finish: 'brushed' });
    const sheet = version === 'R12' ? 'paper' : 'Layout1';
    expect(reading.inserts).toMatchObject([{ block: 'Plain texts', madeFrom: 'Plain texts', layout: sheet, holder: `texts:${sheet}`, missing: [] }]);
    expect(reading.blocks[0]!.cells.find((cell) => cell.tag === 'Material')).toMatchObject({ plain: true, room: { left: 2, right: 58, below: 2, above: 10 } });
    const [material] = cellsOnSheet(bytesOf(version), sheet);
    expect(material).toMatchObject({ tag: 'Material', text: 'S235JR', handle: expect.stringMatching(/^[0-9A-F]+$/) });
    expect(material!.corners[0]).toEqual({ x: 0, y: 0 });
  });

  it('are written in place, so that ezdxf reads them and finds nothing wrong; emptied, they stay cells; all of it can be undone to the byte', () => {
    const written = VERSIONS.map((version) => {
      const before = bytesOf(version);
      const { holder } = dxf.read(before).inserts[0]!;
      const change = (name: string, value: string) => ({ holder, place: 'cell' as const, name, value: heldText(value) });
      const edits = dxf.modify(before, [change('Material', '1.4301'), change('Title', 'Rim {new} 50%'), change('Finish', '')]);
      const after = applyEdits(before, edits);
      expect(Buffer.compare(applyEdits(after, invertEdits(before, edits)), before)).toBe(0);
      expect(texts(after)).toEqual({
        Material: '1.4301',
        Drawn: 'J. Hart',
        Title: 'Rim {new} 50%',
        Scale: '1:2',
        Finish: '',
      });
      const back = applyEdits(after, dxf.modify(after, [change('Finish', 'brushed'), change('Material', 'S235JR')]));
      expect(texts(back)).toMatchObject({ Material: 'S235JR', Finish: 'brushed' });
      const path = join(folder, `${version}-written.dxf`);
      writeFileSync(path, after);
      return path;
    });
    for (const [i, { texts: found, errors }] of (JSON.parse(python(READ, ...written)) as { texts: string[]; errors: string[] }[]).entries()) {
      expect([VERSIONS[i], errors]).toEqual([VERSIONS[i], []]);
      expect(found).toEqual(expect.arrayContaining(['1.4301', '', 'Material']));
    }
  });

  it('are no cells where each stands alone', () => {
    const { inserts } = dxf.read(bytesOf('R2010'));
    expect(inserts.filter((insert) => insert.layout === 'model')).toEqual([]);
  });
});
