import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from '@jest/globals';
import { CellStep, FileChange, FileError, applyEdits, formatById } from '../src/files';
import { carriedBlock, cellSteps, definitionText, openDxf } from '../src/files/dxf';
import { heldText } from '../src/values';

const format = formatById('dxf');

/** Drawings by ezdxf: a block with cells, plain texts, a hatch and a nested block, on a sheet; one of cells with several lines. */
const MAKE = String.raw`
import sys, ezdxf
from ezdxf.enums import TextEntityAlignment as A
for version in ('R2000', 'R2018'):
    doc = ezdxf.new(version, setup=True)
    doc.units = 4
    logo = doc.blocks.new('LOGO')
    logo.add_circle((0, 0), 5)
    b = doc.blocks.new('TITLE', base_point=(10, 0))
    b.add_lwpolyline([(10, 0), (110, 0), (110, 30), (10, 30)], close=True)
    b.add_hatch().paths.add_polyline_path([(100, 20), (110, 20), (110, 30)])
    b.add_blockref('LOGO', (100, 15))
    b.add_attdef('NO', (12, 4), 'x', dxfattribs={'height': 3.5, 'style': 'OpenSans', 'color': 3, 'prompt': 'Number'})
    b.add_attdef('NAME', dxfattribs={'height': 2.5}).set_placement((60, 4), align=A.MIDDLE_CENTER)
    b.add_text('Müller', dxfattribs={'height': 2.5, 'style': 'OpenSansCondensed-Light'}).set_placement((12, 20), align=A.MIDDLE_LEFT)
    b.add_text('checked', dxfattribs={'height': 1.8, 'insert': (12, 25)})
    doc.layout('Layout1').add_blockref('TITLE', (200, 10)).add_auto_attribs({'NO': 'D-1', 'NAME': 'Frame'})
    doc.saveas(f'{sys.argv[1]}/{version}.dxf')
`;
/** ezdxf's findings, the block's entities by type, its cells, and the attributes of the placed one. */
const SEE = String.raw`
import sys, json, ezdxf
from ezdxf.lldxf.encoding import decode_dxf_unicode as plain
doc = ezdxf.readfile(sys.argv[1])
block = doc.blocks.get('TITLE')
kinds = {}
for e in block:
    kinds[e.dxftype()] = kinds.get(e.dxftype(), 0) + 1
near = lambda p: [round(p.x, 6), round(p.y, 6)]
cells = [[a.dxf.tag, plain(a.dxf.prompt), plain(a.dxf.text), near(a.dxf.align_point if a.dxf.hasattr('align_point') else a.dxf.insert), a.dxf.height, a.dxf.style, a.dxf.color] for a in block.query('ATTDEF')]
placed = [[a.dxf.tag, plain(a.dxf.text), near(a.dxf.align_point if a.dxf.hasattr('align_point') else a.dxf.insert)] for i in doc.layout('Layout1').query('INSERT') for a in i.attribs]
print(json.dumps({'found': [str(e.message) for e in doc.audit().errors], 'kinds': kinds, 'cells': cells, 'placed': placed}))
`;

interface Seen {
  readonly found: readonly string[];
  readonly kinds: Readonly<Record<string, number>>;
  readonly cells: readonly (readonly [tag: string, prompt: string, text: string, at: readonly number[], height: number, style: string, colour: number])[];
  readonly placed: readonly (readonly [tag: string, text: string, at: readonly number[]])[];
}

let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'rule-recell-'));
  execFileSync('/usr/bin/python3', ['-c', MAKE, folder]);
});
afterAll(() => rmSync(folder, { recursive: true }));

const drawing = (version: string) => new Uint8Array(readFileSync(join(folder, `${version}.dxf`)));
function seen(bytes: Uint8Array): Seen {
  writeFileSync(join(folder, 'out.dxf'), bytes);
  return JSON.parse(execFileSync('/usr/bin/python3', ['-c', SEE, join(folder, 'out.dxf')], { encoding: 'utf8' })) as Seen;
}
function changed(bytes: Uint8Array, steps: readonly CellStep[], more: readonly FileChange[] = []): Uint8Array {
  const change: FileChange = { holder: '', place: 'block', name: 'TITLE', value: heldText('changed'), definition: cellSteps('TITLE', steps) };
  return applyEdits(bytes, format.modify(bytes, [change, ...more]));
}
const refusal = (steps: readonly CellStep[]): string => {
  try {
    changed(drawing('R2018'), steps);
  } catch (error) {
    if (error instanceof FileError) return error.message;
    throw error;
  }
  return 'not refused';
};

describe.each(['R2000', 'R2018'])('cells of a block in %s', (version) => {
  it('are added like a neighbour, renamed, moved and removed, and everything else stays', () => {
    const before = seen(drawing(version));
    const after = seen(
      changed(drawing(version), [
        { do: 'add', tag: 'REV', prompt: 'Änderung', like: 'NO', by: { x: 20, y: 0 } },
        { do: 'name', tag: 'NAME', to: 'TITLE', prompt: 'Titel' },
        { do: 'move', tag: 'TITLE', by: { x: 5, y: -1.5 } },
      ]),
    );
    expect(after.found).toEqual([]);
    expect(after.kinds).toEqual({ ...before.kinds, ATTDEF: 3 });
    expect(after.cells).toEqual([
      ['NO', 'Number', 'x', [12, 4], 3.5, 'OpenSans', 3],
      ['REV', 'Änderung', '', [32, 4], 3.5, 'OpenSans', 3],
      ['TITLE', 'Titel', '', [65, 2.5], 2.5, 'Standard', 256],
    ]);
    expect(seen(changed(drawing(version), [{ do: 'remove', tag: 'no' }])).cells.map(([tag]) => tag)).toEqual(['NAME']);
  });
  it('are made of plain texts, which the sheets keep as texts of their own', () => {
    const holder = format.read(drawing(version)).holders.find(({ level }) => level === 'sheet')!.key;
    const bytes = changed(
      drawing(version),
      [{ do: 'make', tag: 'BY', prompt: 'Drawn by', text: 'Müller', at: { x: 2, y: 20 } }],
      [{ holder, place: 'cell', name: 'BY', value: heldText('Müller') }],
    );
    const after = seen(bytes);
    expect(after.found).toEqual([]);
    expect(after.kinds['TEXT']).toBe(1);
    expect(after.cells.at(-1)).toEqual(['BY', 'Drawn by', 'Müller', [12, 20], 2.5, 'OpenSansCondensed-Light', 256]);
    // At the sheet: insert at (200, 10), base point (10, 0).
    expect(after.placed).toEqual([
      ['NO', 'D-1', [202, 14]],
      ['NAME', 'Frame', [250, 14]],
      ['BY', 'Müller', [202, 30]],
    ]);
    expect(
      format
        .read(bytes)
        .holders.find(({ level }) => level === 'sheet')!
        .values.find(({ name }) => name === 'BY')?.held,
    ).toEqual(heldText('Müller'));
  });
  it('without a step are the same definition', () => {
    const [before, after] = [drawing(version), changed(drawing(version), [])].map((bytes) =>
      openDxf(bytes, false).blocks.find(({ name }) => name === 'TITLE')!,
    );
    expect(definitionText(after!)).toBe(definitionText(before!));
  });
});

it('says which steps are not possible', () => {
  expect(refusal([{ do: 'add', tag: 'A B', prompt: '', like: 'NO', by: { x: 1, y: 0 } }])).toBe('"A B" cannot name a cell: a name has no spaces.');
  expect(refusal([{ do: 'add', tag: 'name', prompt: '', like: 'NO', by: { x: 1, y: 0 } }])).toBe('The block TITLE already has a cell name.');
  expect(refusal([{ do: 'remove', tag: 'OTHER' }])).toBe('The block TITLE has no cell OTHER.');
  expect(refusal([{ do: 'make', tag: 'A', prompt: '', text: 'Müller', at: { x: 3, y: 20 } }])).toBe('The block TITLE has no plain text "Müller" there.');
  expect(() => carriedBlock(drawing('R2018'), 'TITLE')).toThrow('cannot be copied');
});
