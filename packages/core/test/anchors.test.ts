import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { cellsOnSheet, textsOnSheet } from '../src/drawing';
import { Anchor, FileChange, anchorOf, anchorText, applyEdits, invertEdits } from '../src/files';
import { dxf } from '../src/files/dxf';
import { placedOutlines } from '../src/titleblocks';
import { heldText } from '../src/values';

/** Loose texts on a sheet and in rooms of the model, by ezdxf; and a sheet with captioned boxes. */
const DRAW = String.raw`
import sys
import ezdxf
folder = sys.argv[1]
for version in ('R12', 'R2000', 'R2010', 'R2018'):
    doc = ezdxf.new(version, setup=True)
    doc.header['$INSUNITS'] = 6
    sheet = doc.layout('Layout1')
    box = sheet.add_polyline2d if version == 'R12' else sheet.add_lwpolyline
    for i, (caption, value) in enumerate((('Material', 'S235JR'), ('Drawn', 'J. Hart'), ('Finish', 'brushed'))):
        x = 60 * i
        box([(x, 0), (x + 60, 0), (x + 60, 12), (x, 12)], close=True)
        sheet.add_text(caption, dxfattribs={'height': 1.8}).set_placement((x + 2, 9))
        sheet.add_text(value, dxfattribs={'height': 3.5}).set_placement((x + 2, 2))
    sheet.add_text('Wheel hub', dxfattribs={'height': 5}).set_placement((300, 40), align=ezdxf.enums.TextEntityAlignment.MIDDLE_RIGHT)
    sheet.add_text('twice', dxfattribs={'height': 2}).set_placement((10, 100))
    sheet.add_text('twice', dxfattribs={'height': 2}).set_placement((10, 100))
    if version != 'R12':
        sheet.add_mtext('first\\Psecond', dxfattribs={'char_height': 2.5, 'insert': (200, 100), 'width': 50})
        sheet.add_mtext('{\\fArial|b1;bold} text', dxfattribs={'char_height': 2.5, 'insert': (200, 150)})
    msp = doc.modelspace()
    for i, name in enumerate(('Hall', 'Store')):
        points = [(10 * i, 0), (10 * i + 8, 0), (10 * i + 8, 5 + i), (10 * i, 5 + i)]
        (msp.add_polyline2d(points, close=True) if version == 'R12' else msp.add_lwpolyline(points, close=True))
        text = msp.add_text(f'{40 + 8 * i} m2', dxfattribs={'height': 0.3, 'rotation': 90 * i})
        text.set_placement((10 * i + 4, 2))
        if i:
            doc.appids.add('OTHER')
            text.set_xdata('OTHER', [(1000, 'kept')])
    doc.saveas(f'{folder}/{version}.dxf')
`;
const READ = String.raw`
import sys, json, ezdxf
doc = ezdxf.readfile(sys.argv[1])
apps = lambda t: {app: [v for c, v in t.get_xdata(app)] for app in ('RULE_CELL', 'OTHER') if t.has_xdata(app)}
out = [[t.dxf.text, apps(t)] for l in (doc.layout('Layout1'), doc.modelspace()) for t in l.query('TEXT')]
print(json.dumps({'texts': [o for o in out if o[1]], 'registered': 'RULE_CELL' in doc.appids, 'errors': [e.message for e in doc.audit().errors]}))
`;
const VERSIONS = ['R12', 'R2000', 'R2010', 'R2018'];
const python = (script: string, ...args: string[]) => execFileSync('/usr/bin/python3', ['-c', script, ...args], { encoding: 'utf8' });
const folder = mkdtempSync(join(tmpdir(), 'rule-anchors-'));
beforeAll(() => void python(DRAW, folder));
afterAll(() => rmSync(folder, { recursive: true }));

const bytesOf = (version: string) => new Uint8Array(readFileSync(join(folder, `${version}.dxf`)));
const sheetOf = (version: string) => (version === 'R12' ? 'paper' : 'Layout1');
const change = (name: string, anchor: Anchor | null): FileChange => ({
  holder: '',
  place: 'anchor',
  name,
  value: anchor && heldText(anchorText(anchor)),
});
const named = (bytes: Uint8Array, layout: string, text: string): string => textsOnSheet(bytes, layout).find((one) => one.text === text)!.name;
const cells = (bytes: Uint8Array, label: string) =>
  dxf
    .read(bytes)
    .holders.filter((holder) => holder.label === label)
    .map(({ values }) => Object.fromEntries(values.filter(({ place }) => place === 'cell').map(({ name, held }) => [name, held.text])));
const seen = (bytes: Uint8Array) => {
  const path = join(folder, 'seen.dxf');
  writeFileSync(path, bytes);
  return JSON.parse(python(READ, path)) as { texts: [string, Record<string, string[]>][]; registered: boolean; errors: string[] };
};

describe.each(VERSIONS)('texts of %s anchored by hand', (version) => {
  const anchored = () => {
    const before = bytesOf(version);
    const sheet = sheetOf(version);
    const edits = dxf.modify(before, [
      change(named(before, sheet, 'Wheel hub'), { kind: 'cell', name: 'Title of the sheet' }),
      change(named(before, sheet, 'J. Hart'), { kind: 'cell', name: 'Author' }),
      change(named(before, 'model', '40 m2'), { kind: 'label', name: 'Area' }),
      change(named(before, 'model', '48 m2'), { kind: 'label', name: 'Area' }),
    ]);
    return { before, edits, after: applyEdits(before, edits), sheet };
  };

  it('are cells of the sheet, beside those with a caption; labels stand alone', () => {
    const { after } = anchored();
    expect(cells(after, 'Plain texts')).toEqual([{ Material: 'S235JR', Finish: 'brushed', 'Title of the sheet': 'Wheel hub', Author: 'J. Hart' }]);
    expect(cells(after, 'Labels')).toEqual([{ Area: '40 m2' }, { Area: '48 m2' }]);
    const { inserts, sheets, blocks } = dxf.read(after);
    const labels = inserts.filter((insert) => insert.madeFrom === 'Labels');
    expect(labels.map((insert) => insert.layout)).toEqual(['model', 'model']);
    expect(labels.map((insert) => placedOutlines(insert, sheets)?.around.map(({ area }) => area))).toEqual([[40], [48]]);
    expect(blocks.find((block) => block.name === 'Labels')!.cells.map(({ tag, plain }) => [tag, plain])).toEqual([['Area', true]]);
  });
  it('are drawn where they stand, turned as they are', () => {
    const { after, sheet } = anchored();
    const [hall, store] = cellsOnSheet(after, 'model').filter((cell) => cell.block === 'Labels');
    expect(hall!.corners[1].y).toBeCloseTo(hall!.corners[0].y, 9);
    expect(store!.corners[1].x).toBeCloseTo(store!.corners[0].x, 9);
    const title = textsOnSheet(after, sheet).find((text) => text.text === 'Wheel hub')!;
    expect(title.anchor).toEqual({ kind: 'cell', name: 'Title of the sheet' });
    expect(title.corners[1].x).toBeCloseTo(301.25, 6);
  });
  it('are read by ezdxf, which finds nothing wrong; what other programs keep there stays', () => {
    expect(seen(anchored().after)).toEqual({
      texts: [
        ['J. Hart', { RULE_CELL: ['cell Author'] }],
        ['Wheel hub', { RULE_CELL: ['cell Title of the sheet'] }],
        ['40 m2', { RULE_CELL: ['label Area'] }],
        ['48 m2', { OTHER: ['kept'], RULE_CELL: ['label Area'] }],
      ],
      registered: true,
      errors: [],
    });
  });
  it('can be written, named anew, let go, and undone to the byte', () => {
    const { before, edits, after, sheet } = anchored();
    expect(Buffer.compare(applyEdits(after, invertEdits(before, edits)), before)).toBe(0);
    const labels = dxf.read(after).inserts.filter((insert) => insert.madeFrom === 'Labels');
    const written = applyEdits(
      after,
      dxf.modify(after, [
        { holder: labels[1]!.holder, place: 'cell', name: 'Area', value: heldText('48.00 m²') },
        change(named(after, sheet, 'J. Hart'), { kind: 'cell', name: 'Drawn by' }),
        change(named(after, sheet, 'Wheel hub'), null),
      ]),
    );
    expect(cells(written, 'Labels')).toEqual([{ Area: '40 m2' }, { Area: '48.00 m²' }]);
    expect(cells(written, 'Plain texts')).toEqual([{ Material: 'S235JR', Finish: 'brushed', 'Drawn by': 'J. Hart' }]);
    expect(seen(written)).toMatchObject({
      errors: [],
      texts: [
        ['J. Hart', { RULE_CELL: ['cell Drawn by'] }],
        ['40 m2', {}],
        [expect.stringContaining('48.00'), {}],
      ],
    });
    const free = applyEdits(written, dxf.modify(written, [change(named(written, sheet, 'J. Hart'), null)]));
    expect(cells(free, 'Plain texts')).toEqual([{ Material: 'S235JR', Drawn: 'J. Hart', Finish: 'brushed' }]);
  });
  it('are refused where that would lose something or is not clear', () => {
    const before = bytesOf(version);
    const sheet = sheetOf(version);
    const failure = (name: string, anchor: Anchor = { kind: 'cell', name: 'Note' }) => {
      try {
        dxf.modify(before, [change(name, anchor)]);
        return 'none';
      } catch (error) {
        return (error as { code: string }).code;
      }
    };
    expect(failure(named(before, sheet, 'twice'))).toBe('several-texts');
    expect(failure(`1 1 on ${sheet}`)).toBe('no-text');
    expect(failure(named(before, sheet, 'J. Hart'), { kind: 'cell', name: ' ' })).toBe('bad-anchor');
    const closed = Object.fromEntries(textsOnSheet(before, sheet).map((text) => [text.text, text.closed]));
    expect(closed).toMatchObject({ twice: 'several', 'J. Hart': null });
    if (version === 'R12') return;
    expect(closed).toMatchObject({ 'bold text': 'formatted', 'first\nsecond': null });
    expect(failure(named(before, sheet, 'bold text'))).toBe('formatted');
  });
});

it('names of anchors are read as they are written', () => {
  expect(anchorOf('label Area of the room')).toEqual({ kind: 'label', name: 'Area of the room' });
  for (const text of ['cell ', 'note Area', 'cell  Area', `cell ${'x'.repeat(61)}`, 'cell two\nlines']) expect(anchorOf(text)).toBeNull();
});
