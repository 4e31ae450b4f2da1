import { describe, expect, it } from '@jest/globals';
import { BlockReading, formatOf } from '../src/files';
import { EMPTY_SCHEMA, PreparedSchema, Property, newDraft } from '../src/schema';
import { Publication, StartGround, guessBlockUnit, madeFrom, startFiles } from '../src/start';
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
