import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from '@jest/globals';
import { drawSheet } from '../src/drawing';
import { BlockReading, formatOf } from '../src/files';
import { EMPTY_SCHEMA, PLAIN_CELL, PreparedSchema, Property, newDraft } from '../src/schema';
import { Publication, StartGround, guessBlockUnit, madeFrom, startBase, startFiles } from '../src/start';
import { compileStandIns } from '../src/values';

const property = (id: number, writtenName: string, more: Partial<Property> = {}): Property => ({ ...newDraft(writtenName), id, retired: false, ...more });

const schema = (...properties: Property[]) => new PreparedSchema({ ...EMPTY_SCHEMA, properties }, { standIns: compileStandIns(['-']), states: [], instant: 0 });

const block: BlockReading = {
  name: 'TB',
  cells: [
    {
      tag: 'TITLE',
      prompt: 'Title',
      preset: '',
      at: { x: 90, y: 10 },
      height: 5,
      widthFactor: 0.8,
      rotation: 0,
      align: 'centre',
      valign: 'middle',
      constant: false,
      multiline: false,
    },
  ],
  shapes: [
    {
      shape: 'line',
      closed: true,
      points: [
        { x: 0, y: 0 },
        { x: 180, y: 0 },
        { x: 180, y: 36 },
        { x: 0, y: 36 },
      ],
    },
    { shape: 'circle', at: { x: 10, y: 10 }, radius: 4 },
    { shape: 'text', at: { x: 2, y: 30 }, text: 'Title', height: 1.8, rotation: 0, align: 'left' },
  ],
};

const ground = (prepared: PreparedSchema, more: Partial<StartGround> = {}): StartGround => ({
  prepared,
  classes: [],
  sheets: ['A3'],
  block,
  blockUnit: 1,
  unit: 'mm',
  bases: [],
  company: 'A company',
  at: '2026-11-25T08:00:00Z',
  ...more,
});

const all = ['part', 'assembly', 'drawing'] as const;
const read = (file: { name: string; bytes: Uint8Array }) => formatOf(file.name)!.read(file.bytes);
const heldIn = (file: { name: string; bytes: Uint8Array }) =>
  Object.fromEntries(
    read(file)
      .holders.find((holder) => holder.key === '')!
      .values.filter((value) => value.place === 'property')
      .map(({ name, held }) => [name, held.text]),
  );

describe('start files', () => {
  it('hold every reached name, blank', () => {
    const files = startFiles(
      ground(schema(property(1, 'Part number', { kinds: all }), property(2, 'Material'), property(3, 'Drawn by', { kinds: ['drawing'] }))),
    );
    expect(files.map((file) => file.name)).toEqual(['start part.step', 'start assembly.step', 'start drawing A3.dxf']);
    expect(files.map(heldIn)).toEqual([{ 'Part number': '', Material: '' }, { 'Part number': '' }, { 'Part number': '', 'Drawn by': '' }]);
  });

  it('are of the kind that they are made for, also an assembly with nothing in it', () => {
    const files = startFiles(ground(schema(property(1, 'Part number', { kinds: all }))));
    expect(files.map((file) => read(file).kind)).toEqual(['part', 'assembly', 'drawing']);
    expect(files.flatMap((file) => read(file).problems)).toEqual([]);
  });

  it('begin with defaults and with rules that look at nothing outside, and with no other value', () => {
    const [part] = startFiles(
      ground(
        schema(
          property(1, 'Revision', { default: 'A' }),
          property(2, 'Label', { feed: 'ruled', rule: 'Revision + "-new"' }),
          property(3, 'Place', { feed: 'ruled', rule: 'file.folder + "x"' }),
          property(4, 'Mass', { type: 'number', unit: 'kg', feed: 'model', modelFact: 'mass' }),
        ),
      ),
    );
    expect(heldIn(part!)).toEqual({ Revision: 'A', Label: 'A-new', Place: '', Mass: '' });
    expect(part!.filled).toEqual(['Revision', 'Label']);
  });

  it('are made for a class that asks for something else, under a name that any system takes', () => {
    const files = startFiles(
      ground(schema(property(1, 'Material'), property(2, 'Weld class', { classes: ['Welded: frame/legs'] })), {
        classes: [
          { name: 'Welded: frame/legs', kind: 'part' },
          { name: 'Machined', kind: 'part' },
        ],
      }),
    );
    expect(files.map(({ name, class: of, names }) => ({ name, of, names }))).toEqual([
      { name: 'start part.step', of: null, names: ['Material'] },
      { name: 'start part Welded- frame-legs.step', of: 'Welded: frame/legs', names: ['Material', 'Weld class'] },
    ]);
  });

  it('leave out what is retired, what a file has of its own and what single occurrences hold', () => {
    const files = startFiles(
      ground(
        schema(
          property(1, 'Old', { retired: true }),
          property(2, 'Author', { feed: 'file', fileField: 'author' }),
          property(3, 'Torque', { level: 'occurrence', kinds: ['assembly'] }),
          property(4, 'Title', { homes: { part: { place: 'field', name: 'product name' } } }),
        ),
      ),
    );
    expect(files).toEqual([]);
  });

  it('carry the title block in the lower right corner of the sheet, with its cells', () => {
    const files = startFiles(ground(schema(property(1, 'Title', { kinds: ['drawing'] })), { sheets: ['A4', 'A3'] }));
    const [a4, a3] = files.map(read);
    // ISO 5457 sizes, A4 portrait and A3 landscape (from memory).
    expect([a4!.sheets[0]!.paper, a3!.sheets[0]!.paper]).toEqual([
      { width: 210, height: 297 },
      { width: 420, height: 297 },
    ]);
    expect(a3!.inserts).toEqual([expect.objectContaining({ block: 'TB', missing: [] })]);
    const [cell] = a3!.blocks.find((found) => found.name === 'TB')!.cells;
    expect(cell).toMatchObject(block.cells[0]!);
  });

  it('of inch practice are in inches, also when the block was drawn in millimetres', () => {
    const [b] = startFiles(ground(schema(property(1, 'Title', { kinds: ['drawing'] })), { sheets: ['B'], unit: 'in' }));
    const reading = read(b!);
    // ASME Y14.1 size B, 11 by 17 inches (from memory).
    expect(reading.sheets[0]!.paper).toEqual({ width: 431.8, height: 279.4 });
    const cell = reading.blocks.find((found) => found.name === 'TB')!.cells[0]!;
    expect(cell.height).toBeCloseTo(5 / 25.4, 5);
    expect(guessBlockUnit(reading.blocks.find((found) => found.name === 'TB')!)).toBe(25.4);
    expect(guessBlockUnit(block)).toBe(1);
  });

  it('refuse a sheet size that no standard has', () => {
    expect(() => startFiles(ground(schema(property(1, 'Title', { kinds: ['drawing'] })), { sheets: ['Z9'] }))).toThrow('Z9');
  });
});

/** A company's drawing by ezdxf: a block with a logo (hatch and picture), an embedded object, fixed texts, and texts of its last use. */
const DRAW = String.raw`
import sys, ezdxf
doc = ezdxf.new('R2010', setup=True)
doc.header['$INSUNITS'] = 4
doc.header.custom_vars.append('Drawn by', 'J. Hart')
doc.header.custom_vars.append('Template of', 'the drawing office')
block = doc.blocks.new('OFFICE')
block.add_lwpolyline([(0, 0), (180, 0), (180, 36), (0, 36)], close=True)
block.add_hatch(color=1).paths.add_polyline_path([(150, 4), (176, 4), (163, 30)], is_closed=True)
block.add_text('A company, 12 Mill Lane', dxfattribs={'height': 2.5}).set_placement((2, 30))
for i, (tag, more) in enumerate((('TITLE', {}), ('DRAWN', {}), ('NOTE', {}), ('RIGHTS', {'flags': 2}))):
    block.add_attdef(tag, (2, 4 + 6 * i), text='All rights reserved' if tag == 'RIGHTS' else '', dxfattribs={'height': 3.5, **more})
sheet = doc.layout('Layout1')
sheet.page_setup(size=(420, 297), margins=(0, 0, 0, 0))
sheet.add_blockref('OFFICE', (230, 10)).add_auto_attribs({'TITLE': 'Drum', 'DRAWN': '-', 'NOTE': 'ISO 128', 'RIGHTS': 'All rights reserved'})
sheet.add_image(doc.add_image_def('logo.png', (200, 100)), insert=(20, 250), size_in_units=(40, 20))
if len(sys.argv) > 2:
    doc.modelspace().add_line((0, 0), (1, 1))
doc.saveas(sys.argv[1])
text = open(sys.argv[1]).read()
owner = sheet.layout_key
frame = f'  0\nOLE2FRAME\n  5\nFFF0\n330\n{owner}\n100\nAcDbEntity\n 67\n     1\n  8\n0\n100\nAcDbOle2Frame\n 70\n     2\n  3\nSheet\n 10\n60.0\n 20\n280.0\n 30\n0.0\n 11\n90.0\n 21\n260.0\n 31\n0.0\n 71\n     2\n 72\n     1\n 90\n        4\n310\nD0CF11E0\n  1\nOLE\n'
at = text.index('ENDSEC', text.index('ENTITIES'))
at = text.rindex('  0\n', 0, at)
open(sys.argv[1], 'w').write(text[:at] + frame + text[at:])
`;
const READ = String.raw`
import sys, json, ezdxf
doc = ezdxf.readfile(sys.argv[1])
sheet = doc.layout('Layout1')
print(json.dumps({
    'types': sorted(e.dxftype() for e in sheet), 'pictures': [d.dxf.filename for d in doc.objects.query('IMAGEDEF')], 'hatches': len(doc.blocks.get('OFFICE').query('HATCH')),
    'cells': {a.dxf.tag: a.dxf.text for i in sheet.query('INSERT') for a in i.attribs}, 'names': dict(doc.header.custom_vars), 'errors': [e.message for e in doc.audit().errors]}))
`;
const python = (script: string, ...args: string[]) => execFileSync('/usr/bin/python3', ['-c', script, ...args], { encoding: 'utf8' });

describe("start drawings that are copies of the company's own", () => {
  const folder = mkdtempSync(join(tmpdir(), 'rule-start-'));
  afterAll(() => rmSync(folder, { recursive: true }));
  const drawn = (...more: string[]) => {
    const path = join(folder, 'base.dxf');
    python(DRAW, path, ...more);
    return new Uint8Array(readFileSync(path));
  };
  const prepared = new PreparedSchema(
    {
      ...EMPTY_SCHEMA,
      properties: [property(1, 'Drawn by', { kinds: ['drawing'] }), property(2, 'Title', { kinds: ['drawing'], default: 'Untitled' })],
      bindings: [{ id: 1, block: 'OFFICE', cell: 'TITLE', leads: false, shows: [{ property: 2, from: 'drawing', form: PLAIN_CELL }] }],
    },
    { standIns: compileStandIns(['-']), states: [], instant: 0 },
  );

  it('keep logo, pictures, embedded objects and fixed texts; bound cells and stand-ins are blank', () => {
    const base = startBase('base.dxf', drawn(), prepared);
    expect(base.sheet).toBe('A3');
    const [a3, a4] = startFiles(ground(prepared, { bases: [base], sheets: ['A3', 'A4'] })).filter((file) => file.kind === 'drawing');
    expect([a3!.name, a4!.name]).toEqual(['start drawing A3.dxf', 'start drawing A4.dxf']);
    const path = join(folder, 'made.dxf');
    writeFileSync(path, a3!.bytes);
    expect(JSON.parse(python(READ, path))).toEqual({
      types: ['IMAGE', 'INSERT', 'OLE2FRAME', 'VIEWPORT'],
      pictures: ['logo.png'],
      hatches: 1,
      // Constant texts are of the block; what no binding fills stays.
      cells: { TITLE: '', DRAWN: '', NOTE: 'ISO 128', RIGHTS: 'All rights reserved' },
      names: { 'Drawn by': '', Title: 'Untitled', 'Template of': 'the drawing office' },
      errors: [],
    });
    expect(drawSheet(a3!.bytes, 'Layout1').left).toMatchObject({ picture: 1 });
  });
  it('are refused while something is drawn in their model', () => {
    expect(() => startBase('base.dxf', drawn('with a line'), prepared)).toThrow(
      'base.dxf is not empty: its model holds 1 object, which every new drawing would have.',
    );
  });
});

describe('files made from a start file', () => {
  const publications: readonly Publication[] = [
    { edition: 2, kind: 'part', names: ['A', 'B'] },
    { edition: 3, kind: 'part', names: ['A', 'B', 'C'] },
    { edition: 3, kind: 'part', names: ['A', 'C'] },
    { edition: 3, kind: 'drawing', names: ['A'] },
  ];
  it.each([
    ['the newest that it holds in full', ['A', 'B', 'C', 'own'], 3, 3],
    ['an older one, when it lacks what came later', ['A', 'B'], 2, 2],
    ['the one with the most names', ['A', 'C', 'x'], 3, 2],
  ])('are known by %s', (_, names, edition, count) => {
    const found = madeFrom('part', new Set(names), publications);
    expect([found?.edition, found?.names.length]).toEqual([edition, count]);
  });
  it('are not told from files that hold none in full', () => {
    expect(madeFrom('part', new Set(['A']), publications)).toBeNull();
    expect(madeFrom('assembly', new Set(['A', 'B', 'C']), publications)).toBeNull();
  });
});
