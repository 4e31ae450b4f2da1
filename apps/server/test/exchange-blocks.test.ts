import { afterAll, beforeAll, describe, expect, it, jest } from '@jest/globals';
import { BlockExchangePlan, CellTrayAnswer, Problem } from '@rule/contract';
import { PLAIN_CELL } from '@rule/core/schema';
import { execFileSync } from 'node:child_process';
import { mkdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { Person, Rule, startRule } from './harness';

jest.setTimeout(120_000);

/**
 * Drawings by ezdxf: four with an old block, the last in R12, and one with a new block of equal width, greater height and a different base
 * point.
 */
const MAKE = String.raw`
import sys, ezdxf
out = sys.argv[1]
def old(doc):
    b = doc.blocks.new('OLD')
    b.add_lwpolyline([(0, 0), (100, 0), (100, 30), (0, 30)], close=True) if doc.dxfversion > 'AC1009' else b.add_polyline2d([(0, 0), (100, 0), (100, 30), (0, 30)], close=True)
    for i, tag in enumerate(('TITLE', 'NO', 'DRAWN', 'EXTRA')):
        b.add_attdef(tag, (2, 2 + 7 * i), dxfattribs={'height': 3.5})
for name in 'abc':
    doc = ezdxf.new('R2010', setup=True)
    doc.units = 4
    old(doc)
    doc.layout('Layout1').add_blockref('OLD', (300, 10)).add_auto_attribs({'TITLE': 'Plate ' + name, 'NO': 'P-' + name, 'DRAWN': 'Kay', 'EXTRA': 'x ' + name if name != 'b' else ''})
    doc.saveas(f'{out}/{name}.dxf')
doc = ezdxf.new('R12')
old(doc)
doc.modelspace().add_blockref('OLD', (0, 0)).add_auto_attribs({'TITLE': 'r12', 'NO': '', 'DRAWN': '', 'EXTRA': ''})
doc.saveas(out + '/r12.dxf')
doc = ezdxf.new('R2018', setup=True)
doc.units = 4
n = doc.blocks.new('NEW', base_point=(0, 0))
n.add_lwpolyline([(-150, 0), (0, 0), (0, 40), (-150, 40)], close=True)
n.add_attdef('PARTNO', (-140, 2), dxfattribs={'height': 3.5})
n.add_attdef('title', (-140, 12), dxfattribs={'height': 3.5})
n.add_attdef('PERSON', (-140, 22), dxfattribs={'height': 3.5, 'prompt': 'Drawn'})
n.add_attdef('STATE', (-140, 32), dxfattribs={'height': 3.5})
doc.layout('Layout1').add_blockref('NEW', (400, 10)).add_auto_attribs({'title': 'has it', 'PARTNO': '', 'PERSON': '', 'STATE': ''})
doc.saveas(out + '/new.dxf')
`;
const SEE = String.raw`
import sys, json, ezdxf
doc = ezdxf.readfile(sys.argv[1])
print(json.dumps({'errors': len(doc.audit().errors), 'inserts': [[i.dxf.name, round(i.dxf.insert.x, 3), round(i.dxf.insert.y, 3), {a.dxf.tag: a.dxf.text for a in i.attribs}]
  for l in doc.layouts for i in l.query('INSERT')]}))
`;

let rule: Rule;
let okafor: Person;
let folder: string;
const at = (name: string) => join(folder, `${name}.dxf`);
const seen = (name: string) =>
  JSON.parse(execFileSync('/usr/bin/python3', ['-c', SEE, at(name)], { encoding: 'utf8' })) as { errors: number; inserts: unknown[] };
const plan = async (body: object = {}) => (await okafor.post('/title-blocks/exchange/plan', { from: 'OLD', to: 'NEW', ...body })).body as BlockExchangePlan;
beforeAll(async () => {
  rule = await startRule();
  okafor = await rule.signIn('okafor');
  folder = join(rule.library, 'exchanged');
  mkdirSync(folder);
  execFileSync('/usr/bin/python3', ['-c', MAKE, folder]);
  await rule.services.scanner.rescan();
  const shows = [{ property: await rule.property('Part number'), from: 'drawing' as const, form: PLAIN_CELL }];
  await rule.bind({ block: 'OLD', cell: 'NO', leads: false, shows }, { block: 'NEW', cell: 'PARTNO', leads: false, shows });
  await rule.db.run(`UPDATE files SET lock_reason = 'is released in the vault' WHERE path = 'exchanged/c.dxf'`);
});
afterAll(() => rule.stop());

describe('a title block that is exchanged for another', () => {
  it('is planned: cells by binding, name and caption, what is lost, and which drawings are left out', async () => {
    const planned = await plan();
    expect(planned.cells.map(({ tag, from, by }) => [tag, from, by])).toEqual([
      ['PARTNO', 'NO', 'binding'],
      ['title', 'TITLE', 'name'],
      ['PERSON', 'DRAWN', 'caption'],
      ['STATE', null, null],
    ]);
    expect([planned.sheets, planned.lender, planned.lost]).toEqual([2, 'exchanged/new.dxf', [{ tag: 'EXTRA', texts: 1, examples: ['x a'] }]]);
    expect(planned.left.map(({ path, reason }) => [path, reason])).toEqual([
      ['exchanged/c.dxf', 'The file is released in the vault.'],
      ['exchanged/r12.dxf', 'The drawing is of version AC1009. Save it in a newer version first.'],
    ]);
    // Choices other than the proposal are followed.
    const other = await plan({ cells: { PARTNO: 'NO', title: null, PERSON: 'DRAWN', STATE: 'EXTRA' } });
    expect(other.lost.map(({ tag, texts }) => [tag, texts])).toEqual([['TITLE', 2]]);
    expect((await okafor.post('/title-blocks/exchange/plan', { from: 'OLD', to: 'old' })).body as Problem).toMatchObject({ code: 'same-block' });
    expect((await okafor.post('/title-blocks/exchange/plan', { from: 'OLD', to: 'NOWHERE' })).status).toBe(404);
  });

  it('gives way with its texts, corner on corner, clean to ezdxf, and comes back to the byte', async () => {
    const before = readFileSync(at('a'));
    const answer = await okafor.post('/title-blocks/exchange', { from: 'OLD', to: 'NEW' });
    expect([answer.status, (answer.body as CellTrayAnswer).left.length]).toEqual([200, 2]);
    expect((await plan()).left.map((row) => row.path)).toContain('exchanged/a.dxf');
    const report = await okafor.apply();
    expect([report.state, report.failures]).toEqual(['applied', []]);
    // The old block ended at 400 on the right: the new one has its corner there.
    expect(seen('a')).toEqual({ errors: 0, inserts: [['NEW', 400, 10, { PARTNO: 'P-a', title: 'Plate a', PERSON: 'Kay', STATE: '' }]] });
    expect(seen('b').inserts).toEqual([['NEW', 400, 10, { PARTNO: 'P-b', title: 'Plate b', PERSON: 'Kay', STATE: '' }]]);
    const families = await rule.db.all(
      `SELECT f.path, b.family FROM placed_blocks b JOIN files f ON f.id = b.file_id WHERE f.path LIKE 'exchanged/%' ORDER BY 1`,
    );
    expect(families).toEqual([
      { path: 'exchanged/a.dxf', family: 'new' },
      { path: 'exchanged/b.dxf', family: 'new' },
      { path: 'exchanged/c.dxf', family: 'old' },
      { path: 'exchanged/new.dxf', family: 'new' },
      { path: 'exchanged/r12.dxf', family: 'old' },
    ]);
    expect((await okafor.revert(report.changeSet)).state).toBe('applied');
    expect(Buffer.compare(readFileSync(at('a')), before)).toBe(0);
    const haas = await rule.signIn('haas');
    expect((await haas.post('/title-blocks/exchange', { from: 'OLD', to: 'NEW' })).status).toBe(403);
  });
});
