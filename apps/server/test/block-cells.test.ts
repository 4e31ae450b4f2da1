import { afterAll, beforeAll, describe, expect, it, jest } from '@jest/globals';
import { BlockCellPlan, CellTrayAnswer, Problem } from '@rule/contract';
import { CellStep } from '@rule/core/files';
import { PLAIN_CELL } from '@rule/core/schema';
import { execFileSync } from 'node:child_process';
import { mkdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { Person, Rule, startRule } from './harness';

jest.setTimeout(120_000);

/** Drawings by ezdxf: three define the block equally but for its layers (one has two sheets), one differently, with a hatch in each; one is of R12. */
const MAKE = String.raw`
import sys, ezdxf
out = sys.argv[1]
def block(doc, wide, name):
    b = doc.blocks.new('FRAME')
    b.add_lwpolyline([(0, 0), (wide, 0), (wide, 30), (0, 30)], close=True)
    b.add_hatch().paths.add_polyline_path([(0, 0), (5, 0), (0, 5)])
    b.add_text('checked by Haas', dxfattribs={'height': 2.5, 'insert': (60, 20)})
    for i, tag in enumerate(('TITLE', 'NO', 'OLDNOTE')):
        b.add_attdef(tag, (2, 2 + 7 * i), dxfattribs={'height': 3.5, 'layer': 'OF_' + name})
def place(layout, name):
    layout.add_blockref('FRAME', (300, 10)).add_auto_attribs({'TITLE': 'Plate ' + name, 'NO': 'P-' + name, 'OLDNOTE': 'n' if name == 'a' else ''})
for name in ('a', 'b', 'c', 'wide'):
    doc = ezdxf.new('R2010', setup=True)
    doc.units = 4
    doc.layers.add('OF_' + name)
    block(doc, 120 if name == 'wide' else 100, name)
    place(doc.layout('Layout1'), name)
    if name == 'b':
        place(doc.layouts.new('Back'), name)
    doc.saveas(f'{out}/{name}.dxf')
doc = ezdxf.new('R12')
b = doc.blocks.new('FRAME')
b.add_attdef('TITLE', (2, 2))
doc.modelspace().add_blockref('FRAME', (0, 0)).add_auto_attribs({'TITLE': 'r12'})
doc.saveas(out + '/r12.dxf')
`;
const SEE = String.raw`
import sys, json, ezdxf
doc = ezdxf.readfile(sys.argv[1])
block = doc.blocks.get('FRAME')
print(json.dumps({'errors': len(doc.audit().errors), 'block': [a.dxf.tag for a in block.query('ATTDEF')], 'layers': sorted({a.dxf.layer for a in block.query('ATTDEF')}), 'others': sorted(e.dxftype() for e in block if e.dxftype() != 'ATTDEF'),
  'placed': [[{a.dxf.tag: a.dxf.text for a in i.attribs}, round(i.dxf.insert.x, 3)] for l in doc.layouts for i in l.query('INSERT')]}))
`;

let rule: Rule;
let okafor: Person;
let folder: string;
const at = (name: string) => join(folder, `${name}.dxf`);
const seen = (name: string) => JSON.parse(execFileSync('/usr/bin/python3', ['-c', SEE, at(name)], { encoding: 'utf8' })) as object;
const plan = async (steps: readonly CellStep[]) => (await okafor.post('/title-blocks/cells/plan', { block: 'FRAME', steps })).body as BlockCellPlan;
beforeAll(async () => {
  rule = await startRule();
  okafor = await rule.signIn('okafor');
  folder = join(rule.library, 'framed');
  mkdirSync(folder);
  execFileSync('/usr/bin/python3', ['-c', MAKE, folder]);
  await rule.services.scanner.rescan();
  await rule.bind({ block: 'FRAME', cell: 'NO', leads: false, shows: [{ property: await rule.property('Part number'), from: 'drawing', form: PLAIN_CELL }] });
  await rule.db.run(`UPDATE files SET lock_reason = 'is released in the vault' WHERE path = 'framed/c.dxf'`);
});
afterAll(() => rule.stop());

const ADDED: readonly CellStep[] = [
  { do: 'add', tag: 'REV', prompt: 'Revision', like: 'NO', by: { x: 40, y: 0 } },
  { do: 'make', tag: 'CHECKED', prompt: 'Checked', text: 'checked by Haas', at: { x: 60, y: 20 } },
];

describe('the cells of a title block', () => {
  it('are changed in every definition of the block; what is left out is said beforehand', async () => {
    const { left, ...planned } = await plan([...ADDED, { do: 'name', tag: 'NO', to: 'NUMBER', prompt: '' }, { do: 'remove', tag: 'OLDNOTE' }]);
    expect(planned).toEqual({
      drawings: 3,
      sheets: 4,
      definitions: 2,
      cells: [
        { tag: 'TITLE', prompt: '' },
        { tag: 'NUMBER', prompt: '' },
        { tag: 'REV', prompt: 'Revision' },
        { tag: 'CHECKED', prompt: 'Checked' },
      ],
      anew: true,
      lost: [{ tag: 'OLDNOTE', texts: 1, examples: ['n'] }],
      bound: ['NO'],
    });
    expect(left.map(({ path, reason }) => [path, reason])).toEqual([
      ['framed/c.dxf', 'The file is released in the vault.'],
      ['framed/r12.dxf', 'The drawing is of version AC1009. Save it in a newer version first.'],
    ]);
    const refused = await okafor.post('/title-blocks/cells/plan', { block: 'FRAME', steps: [{ do: 'remove', tag: 'NONE' }] });
    expect([refused.status, (refused.body as Problem).detail]).toEqual([422, 'The block FRAME has no cell NONE.']);
    expect((await okafor.post('/title-blocks/cells/plan', { block: 'NOWHERE', steps: ADDED })).status).toBe(404);
    expect((await (await rule.signIn('haas')).post('/title-blocks/cells', { block: 'FRAME', steps: ADDED })).status).toBe(403);
  });

  it('are added to all drawings, which then lack them; texts that become cells stay to be seen; reverting restores the bytes', async () => {
    const before = readFileSync(at('b'));
    const answer = await okafor.post('/title-blocks/cells', { block: 'FRAME', steps: ADDED });
    const { left, tray } = answer.body as CellTrayAnswer;
    expect([answer.status, left.length, tray.counts.undecided]).toEqual([200, 2, 0]);
    const report = await okafor.apply();
    expect([report.state, report.failures]).toEqual(['applied', []]);
    const sheet = (name: string, note: string) => [{ TITLE: `Plate ${name}`, NO: `P-${name}`, OLDNOTE: note, CHECKED: 'checked by Haas' }, 300];
    const block = ['TITLE', 'NO', 'REV', 'OLDNOTE', 'CHECKED'];
    // Each drawing keeps its own layers; a text that becomes a cell keeps its layer too.
    expect(seen('b')).toEqual({ errors: 0, block, layers: ['0', 'OF_b'], others: ['HATCH', 'LWPOLYLINE'], placed: [sheet('b', ''), sheet('b', '')] });
    expect(seen('wide')).toMatchObject({ errors: 0, block, placed: [sheet('wide', '')] });
    const lacking = await rule.db.all<{ path: string; missing: string[] }>(
      `SELECT f.path, b.missing FROM placed_blocks b JOIN files f ON f.id = b.file_id WHERE f.path LIKE 'framed/%' AND b.missing <> '{}' ORDER BY 1, b.holder`,
    );
    expect(lacking.map(({ path, missing }) => [path, missing])).toEqual([
      ['framed/a.dxf', ['REV']],
      ['framed/b.dxf', ['REV']],
      ['framed/b.dxf', ['REV']],
      ['framed/wide.dxf', ['REV']],
    ]);
    expect((await okafor.revert(report.changeSet)).state).toBe('applied');
    expect(Buffer.compare(readFileSync(at('b')), before)).toBe(0);
  });

  it('are renamed, moved and removed with the texts of the sheets, each block placed anew where it was', async () => {
    const before = readFileSync(at('a'));
    const steps: readonly CellStep[] = [
      { do: 'name', tag: 'no', to: 'NUMBER', prompt: 'Number' },
      { do: 'move', tag: 'TITLE', by: { x: 0, y: 1 } },
      { do: 'remove', tag: 'OLDNOTE' },
    ];
    await okafor.post('/title-blocks/cells', { block: 'FRAME', steps }).expect(200);
    const report = await okafor.apply();
    expect([report.state, report.failures]).toEqual(['applied', []]);
    expect(seen('a')).toEqual({
      errors: 0,
      block: ['TITLE', 'NUMBER'],
      layers: ['OF_a'],
      others: ['HATCH', 'LWPOLYLINE', 'TEXT'],
      placed: [[{ TITLE: 'Plate a', NUMBER: 'P-a' }, 300]],
    });
    expect((await okafor.revert(report.changeSet)).state).toBe('applied');
    expect(Buffer.compare(readFileSync(at('a')), before)).toBe(0);
  });
});
