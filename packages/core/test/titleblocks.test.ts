import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import {
  Binding,
  CellPiece,
  EMPTY_SCHEMA,
  FileFacts,
  HeldBySlot,
  PLAIN_CELL,
  PreparedSchema,
  Property,
  bindingOf,
  checkMapping,
  homeCell,
  Link,
  endSlot,
  mappingDocument,
  newDraft,
  readMappingDocument,
  sourcesOf,
  usesOf,
} from '../src/schema';
import { CELL_STATES, CellText, StandingCell, cellLines, cellState, cellText, composed, factText } from '../src/titleblocks';
import { compileStandIns, heldText } from '../src/values';

const standIns = compileStandIns(['-*']);
const property = (id: number, name: string, change: Partial<Property> = {}): Property => ({ ...newDraft(name), id, retired: false, ...change });
const mass = property(1, 'Mass', { type: 'number', unit: 'kg', decimals: 2, placeholder: '0.00' });
const link = (change: Partial<Link>): Link => ({
  id: 1,
  field: 'F',
  kinds: ['part'],
  classes: [],
  at: [],
  in: 'always',
  out: 'never',
  onClash: 'ask',
  states: [],
  step: null,
  ...change,
});
const text = (value: string): CellText => ({ state: 'value', text: value });
const blank: CellText = { state: 'blank', placeholder: '', why: 'Finish is blank' };
const noModel: CellText = { state: 'no model', placeholder: '', why: 'no model' };

describe('what a cell shows', () => {
  it('is a value in its form', () => {
    const held = { text: '1.5', form: 'measure' as const, unit: 'kg' };
    expect(cellText(held, mass, PLAIN_CELL, standIns)).toEqual(text('1.50'));
    expect(cellText({ ...held, text: '1500', unit: 'g' }, mass, { ...PLAIN_CELL, unit: true }, standIns)).toEqual(text('1.50 kg'));
    const finish = property(2, 'Finish');
    expect(cellText(heldText('brushed'), finish, { letters: 'capitals', unit: false }, standIns)).toEqual(text('BRUSHED'));
    expect(cellText(heldText('Brushed'), finish, { letters: 'small letters', unit: false }, standIns)).toEqual(text('brushed'));
    expect(cellText(heldText('heavy'), mass, PLAIN_CELL, standIns)).toEqual(text('heavy'));
    expect(factText('face-plate.dxf', 'file name', { letters: 'capitals', unit: false })).toEqual(text('FACE-PLATE.DXF'));
  });

  it('is never a placeholder or a stand-in', () => {
    expect(cellText(null, mass, PLAIN_CELL, standIns)).toEqual({ state: 'blank', placeholder: '0.00', why: 'Mass is blank' });
    expect(cellText(heldText('--'), mass, PLAIN_CELL, standIns)).toMatchObject({ state: 'blank', why: '"--" is only a stand-in of Mass' });
    expect(factText(null, 'scale', PLAIN_CELL)).toMatchObject({ state: 'blank', why: 'the scale is not known' });
  });

  describe('composed of several', () => {
    const piece = (id: number): CellPiece => ({ property: id, from: 'model', form: PLAIN_CELL });
    const whole = (pieces: readonly CellPiece[], ...texts: CellText[]) => composed(pieces, (one) => texts['property' in one ? one.property - 1 : 0]!);
    const pair = [piece(1), { words: ' · ' }, piece(2)];
    const sheet = [{ words: 'Sheet ' }, piece(1), { words: ' of ' }, piece(2), { words: '.' }];
    it.each([
      [pair, [text('1.4301'), text('brushed')], text('1.4301 · brushed')],
      [pair, [text('1.4301'), blank], text('1.4301')],
      [pair, [blank, text('brushed')], text('brushed')],
      [pair, [blank, blank], blank],
      [pair, [text('1.4301'), noModel], noModel],
      [sheet, [text('2'), text('5')], text('Sheet 2 of 5.')],
      [sheet, [text('2'), blank], text('Sheet 2')],
      [[{ words: 'Marrowby' }], [], text('Marrowby')],
    ] as const)('%#', (pieces, texts, expected) => expect(whole(pieces, ...texts)).toEqual(expected));
  });
});

describe('the state of a cell', () => {
  const standing = (stored: string | null, fixed: string | null = null): StandingCell => ({ stored, fixed });
  it.each([
    [standing('S235JR'), text('S235JR'), 'right'],
    [standing('DC01'), text('S235JR'), 'stale'],
    [standing(''), text('S235JR'), 'stale'],
    [standing(''), blank, 'blank'],
    [standing('  '), blank, 'blank'],
    [standing('DC01'), blank, 'would be erased'],
    [standing(null), text('S235JR'), 'lacking'],
    [standing(null), blank, 'lacking'],
    [standing('DC01'), noModel, 'no model'],
    [standing('Marrowby', 'constant'), text('x'), 'fixed'],
    [standing('12', '%<\\AcVar Date>%'), text('x'), 'computed'],
    [standing('12', '%<\\AcVar Date>%'), blank, 'computed'],
  ] as const)('%j with %j: %s', (cell, shown, state) => expect(cellState(cell, shown)).toBe(state));

  const cell = fc.record({
    stored: fc.constantFrom(null, '', 'DC01', 'S235JR'),
    fixed: fc.constantFrom(null, 'constant', '%<x>%'),
    shown: fc.constantFrom<CellText>(text('S235JR'), text('DC01'), blank, noModel),
  });
  const cells = fc
    .array(cell, { maxLength: 20 })
    .map((list) =>
      list.map(({ stored, fixed, shown }, i) => ({ drawing: i, holder: 'insert:1', tag: 'T', stored, shown, state: cellState({ stored, fixed }, shown) })),
    );

  it('decides what is proposed: no text is ever emptied, no fixed or computed one touched, and doing it twice changes nothing', () => {
    fc.assert(
      fc.property(cells, (list) => {
        const lines = cellLines(list, ['stale', 'lacking'], 'why', false);
        for (const line of lines) {
          expect(line.proposed!.text).not.toBe('');
          expect(CELL_STATES.indexOf(list[line.address.file]!.state)).not.toBe(CELL_STATES.indexOf('fixed'));
        }
        const after = list.map((one) => {
          const line = lines.find((candidate) => candidate.address.file === one.drawing);
          const stored = line ? line.proposed!.text : one.stored;
          const fixed = one.state === 'fixed' ? 'constant' : one.state === 'computed' ? '%<x>%' : null;
          return { ...one, stored, state: cellState({ stored, fixed }, one.shown) };
        });
        expect(cellLines(after, ['stale', 'lacking'], 'why', false)).toEqual([]);
        expect(after.filter((one, i) => (list[i]!.stored ?? '') !== '' && one.stored === '')).toEqual([]);
      }),
    );
  });

  it('holds for any composed text: whatever is blank or missing among its pieces', () => {
    const shown = fc.constantFrom<CellText>(text('a'), text('b c'), blank, noModel);
    const pieces = fc.array(
      fc.oneof(
        fc.constantFrom(' · ', 'Sheet ', ' of ').map((words) => ({ words })),
        shown,
      ),
      { minLength: 1, maxLength: 6 },
    );
    fc.assert(
      fc.property(pieces, fc.constantFrom(null, '', 'old', 'a'), (list, stored) => {
        const texts = list.map((one) => ('words' in one ? null : one));
        const shows = list.map((one, i): CellPiece => ('words' in one ? one : { property: i, from: 'model', form: PLAIN_CELL }));
        const whole = composed(shows, (piece) => texts['property' in piece ? piece.property : 0]!);
        const values = texts.filter((one) => one !== null);
        // Without a model the content is unknown; with only blanks it is blank; otherwise it is non-empty text.
        if (values.some((one) => one.state === 'no model')) expect(whole.state).toBe('no model');
        else if (values.length > 0 && values.every((one) => one.state === 'blank')) expect(whole.state).toBe('blank');
        else expect(whole).toMatchObject({ state: 'value', text: expect.stringMatching(/./) });
        const cell = { drawing: 1, holder: 'h', tag: 'T', stored, shown: whole, state: cellState({ stored, fixed: null }, whole) };
        for (const line of cellLines([cell], ['stale', 'lacking'], 'why', false)) expect(line.proposed!.text).not.toBe('');
      }),
    );
  });

  it('empties a text by a decision of its own alone', () => {
    const list = [{ drawing: 9, holder: 'insert:1', tag: 'T', stored: 'DC01', shown: blank, state: 'would be erased' as const }];
    expect(cellLines(list, ['stale', 'lacking'], 'why', false)).toEqual([]);
    expect(cellLines(list, ['would be erased'], 'why', true)).toEqual([
      { address: { file: 9, holder: 'insert:1', place: 'cell', name: 'T' }, base: heldText('DC01'), proposed: heldText(''), reason: 'why', follows: true },
    ]);
  });
});

describe('bindings and links of a schema', () => {
  const title = property(2, 'Description', { kinds: ['part', 'drawing'] });
  const number = property(3, 'Sheet number', { kinds: ['drawing'], level: 'sheet' });
  const customer = property(4, 'Customer', { kinds: ['drawing'], feed: 'inherited', inheritFrom: 'project' });
  const torque = property(5, 'Torque', { kinds: ['assembly'], level: 'occurrence' });
  const properties = [mass, title, number, customer, torque];
  const shows = (
    id: number,
    block: string | null,
    cell: string,
    of: Property,
    from: Extract<CellPiece, { from: unknown }>['from'],
    leads = false,
  ): Binding => ({
    id,
    block,
    cell,
    leads,
    shows: [{ property: of.id, from, form: PLAIN_CELL }],
  });
  const codes = (bindings: readonly Binding[], more: readonly Property[] = properties) => checkMapping(more, bindings, []).map(({ code }) => code);

  it('are found by the family of a block: its own binding before one for every block, whatever the case of its name', () => {
    const bindings = [shows(1, null, 'NO', number, 'sheet'), shows(2, 'A3-Frame', 'NO', title, 'drawing')];
    expect(bindingOf(bindings, 'a3-frame', 'NO')?.id).toBe(2);
    expect(bindingOf(bindings, 'other', 'NO')?.id).toBe(1);
    expect(bindingOf(bindings, 'a3-frame', 'no')).toBeUndefined();
  });

  it('say from where a cell can take a property', () => {
    expect([mass, title, number, customer, torque].map(sourcesOf)).toEqual([['model'], ['model', 'drawing'], ['sheet'], ['drawing', 'project'], []]);
  });

  it('tell what cannot work', () => {
    expect(codes([shows(1, 'A', 'T', title, 'model'), shows(2, 'A', 'N', number, 'sheet', true)])).toEqual([]);
    expect(codes([shows(1, 'A', 'T', title, 'model'), shows(2, 'a', 'T', mass, 'model')])).toEqual(['bound-twice']);
    expect(codes([shows(1, 'A', 'T', title, 'project')])).toEqual(['no-source']);
    expect(codes([shows(1, 'A', 'T', torque, 'model')])).toEqual(['no-source']);
    expect(codes([shows(1, 'A', 'T', title, 'model', true)])).toEqual(['cannot-lead']);
    expect(codes([shows(1, 'A', 'N', number, 'sheet', true), shows(2, 'A', 'M', number, 'sheet', true)])).toEqual(['led-twice']);
    expect(codes([{ id: 1, block: 'A', cell: 'T', leads: false, shows: [] }])).toEqual(['nothing-shown']);
    expect(codes([shows(1, 'A', 'T', property(9, 'Gone'), 'model')])).toEqual(['no-property']);
    expect(
      checkMapping([{ ...title, retired: true }], [shows(1, 'A', 'T', title, 'model')], [link({ id: 7, field: 'Title', at: [{ property: 2 }] })]).map(
        ({ of, message }) => [of, message],
      ),
    ).toEqual([
      ['binding', 'The cell T of A shows Description, which is retired.'],
      ['link', 'The link of the record field Title (part) leads to Description, which is retired.'],
    ]);
    expect(
      checkMapping(
        properties,
        [],
        [
          link({ at: [{ property: 4 }] }),
          link({ id: 2, at: [{ place: 'property', name: '' }] }),
          link({ id: 3, field: 'G', kinds: ['assembly'], at: [{ property: 5 }] }),
        ],
      ).map(({ id, code }) => [id, code]),
    ).toEqual([
      [1, 'not-reached'],
      [2, 'field-taken'],
      [2, 'no-name'],
      [3, 'not-held'],
    ]);
  });

  it('follow a property under another name, and travel by written names', () => {
    const bindings = [shows(1, 'A', 'T', title, 'model'), { ...shows(2, null, 'X', number, 'sheet', true) }];
    const links = [link({ field: 'Title', at: [{ property: 2 }] })];
    const document = mappingDocument(properties, bindings, links);
    expect(document.links[0]!.at).toEqual([{ property: 'Description' }]);
    const elsewhere = [property(71, 'Benennung', { knownSpellings: ['Description'] }), property(72, 'Sheet number')];
    const read = readMappingDocument(elsewhere, document);
    expect(read.bindings.map(({ shows: [piece] }) => piece)).toMatchObject([{ property: 71 }, { property: 72 }]);
    expect(read.links[0]!.at).toEqual([{ property: 71 }]);
    expect(readMappingDocument([], document)).toEqual({ bindings: [], links: [], unknown: ['Description', 'Sheet number', 'Description'] });
    const byId = new Map([[2, { ...title, writtenName: 'Benennung' }]]);
    expect(endSlot(links[0]!.at[0]!, 'part', byId)).toEqual({ place: 'property', name: 'Benennung' });
    expect(endSlot({ place: 'field', name: 'product id' }, 'part', byId)).toEqual({ place: 'field', name: 'product id' });
    expect(usesOf(2, bindings, links)).toEqual({ bindings: [bindings[0]], links });
  });

  it('make a cell the home of a value, block by block', () => {
    const bindings = [shows(1, 'A', 'NO', number, 'sheet', true), shows(2, 'B', 'BLATT', number, 'sheet', true), shows(3, 'C', 'NO', title, 'drawing')];
    expect(['a', 'b', 'c'].map((family) => homeCell(bindings, 3, family))).toEqual(['NO', 'BLATT', null]);
    const prepared = new PreparedSchema({ ...EMPTY_SCHEMA, properties, bindings }, { standIns, states: [], instant: 0 });
    const nothing: HeldBySlot = new Map();
    const file: FileFacts = {
      id: 1,
      kind: 'drawing',
      className: null,
      state: null,
      name: 'x.dxf',
      folder: '',
      held: nothing,
      geometry: null,
      model: null,
      parts: [],
      above: {},
    };
    const held: HeldBySlot = new Map([
      ['cell/NO', heldText('1/3')],
      ['cell/BLATT', heldText('2/3')],
    ]);
    const on = (label: string) => prepared.judgeHolder(file, { level: 'sheet', key: 'k', label, held, part: null, sheet: null }).get(3);
    expect([on('A')?.value?.text, on('b')?.value?.text]).toEqual(['1/3', '2/3']);
    // In a block without a leading cell the value has no place, even if a cell has that tag.
    expect(on('C')?.value ?? null).toBeNull();
  });
});
