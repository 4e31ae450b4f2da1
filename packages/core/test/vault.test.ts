import { describe, expect, it } from '@jest/globals';
import { Link, Property, checkMapping, linkName, linkReaches, newDraft, passingAt, whyNotChanged, withLeads } from '../src/schema';
import { VaultDefinition, VaultField, compareDefinition, fieldOf, handOver, passingOf, whyNotTaken } from '../src/vault';

const property = (id: number, name: string, change: Partial<Property> = {}): Property => ({
  ...newDraft(name),
  id,
  retired: false,
  kinds: ['part'],
  ...change,
});
const link = (field: string, of: number, change: Partial<Link> = {}): Link => ({
  id: of,
  field,
  kinds: ['part'],
  classes: [],
  at: [{ property: of }],
  ...passingOf('both'),
  states: [],
  step: null,
  ...change,
});
const field = (name: string, change: Partial<VaultField> = {}): VaultField => ({
  name,
  type: 'text',
  length: null,
  choices: [],
  initial: null,
  required: false,
  kinds: [],
  classes: [],
  fixed: false,
  retired: false,
  ...change,
});
const vault = (...fields: VaultField[]): VaultDefinition => ({
  fields,
  systemFields: ['Revision'],
  states: ['open', 'in check', 'released'],
  steps: [{ name: 'release', from: 'in check', to: 'released', sets: ['Released on'] }],
  mayDefine: true,
});

describe('a record field', () => {
  it.each([
    [field('F', { length: 3 }), 'abcd', 'takes 3 characters; the value has 4'],
    [field('F', { length: 3 }), 'äöü', null],
    [field('F', { type: 'number' }), '1.5', null],
    [field('F', { type: 'number' }), '1,5', 'takes numbers only'],
    // ISO 8601: 2024 is a leap year, 2023 is not.
    [field('F', { type: 'date' }), '2024-02-29', null],
    [field('F', { type: 'date' }), '2023-02-29', 'takes dates only'],
    [field('F', { type: 'yes or no' }), 'ja', 'takes yes or no only'],
    [field('F', { type: 'list', choices: ['a'] }), 'b', 'does not offer "b"'],
    [field('F', { required: true }), '', 'is required and cannot be emptied'],
    [field('F'), '', null],
    [field('F', { retired: true }), 'a', 'is retired'],
    [field('F', { kinds: ['drawing'] }), 'a', 'have no field F'],
  ])('%j and %j: %s', (own, text, reason) => {
    const why = whyNotTaken(vault(own), 'F', 'part', text);
    if (reason === null) expect(why).toBeNull();
    else expect(why).toContain(reason);
  });
  it('is not written where the vault keeps it, or has none', () => {
    expect(whyNotTaken(vault(), 'Revision', 'part', 'B')).toBe('the vault keeps Revision itself; nobody can write it');
    expect(whyNotTaken(vault(), 'Gone', 'part', 'B')).toBe('the vault has no record field Gone');
  });
  it('is made from a property with its type, list, length, initial value and kinds', () => {
    expect(fieldOf(property(1, 'Material', { type: 'choice', choices: ['DC01', '1.4301'], required: true, default: 'DC01' }))).toEqual(
      field('Material', { type: 'list', choices: ['DC01', '1.4301'], initial: 'DC01', required: true, kinds: ['part'] }),
    );
    expect(fieldOf(property(1, 'Title', { maxLength: 40, kinds: ['part', 'assembly', 'drawing', 'other'] }))).toEqual(field('Title', { length: 40 }));
    // A field accepting other values is not a list, and a number has no length.
    expect(fieldOf(property(1, 'Finish', { type: 'choice', choices: ['brushed'], open: true })).type).toBe('text');
    expect(fieldOf(property(1, 'Mass', { type: 'number', maxLength: 9 }))).toMatchObject({ type: 'number', length: null });
    expect(fieldOf(property(1, 'Food', { type: 'yesno' })).type).toBe('yes or no');
  });
});

describe('the record definition beside the schema', () => {
  const material = property(1, 'Material', { type: 'choice', choices: ['DC01', '1.4301'] });
  const mass = property(2, 'Mass', { type: 'number' });
  const title = property(3, 'Title', { maxLength: 40, required: true, kinds: ['part', 'drawing'] });
  const told = (definition: VaultDefinition, links: readonly Link[], properties: readonly Property[] = [material, mass, title]) =>
    Object.fromEntries(
      compareDefinition(definition, properties, links).rows.map((row) => [row.field.name, row.findings.map(({ severity, code }) => `${severity} ${code}`)]),
    );

  it('says nothing where both agree', () => {
    const agreeing = [fieldOf(material), fieldOf(mass), fieldOf(title)];
    expect(told(vault(...agreeing), [link('Material', 1), link('Mass', 2), link('Title', 3, { kinds: ['part', 'drawing'] })])).toEqual({
      Material: [],
      Mass: [],
      Title: [],
      Revision: [],
    });
  });
  it('finds types, lists, lengths and duties that do not agree', () => {
    const links = [link('Material', 1), link('Mass', 2), link('Title', 3)];
    expect(told(vault(field('Material'), field('Mass'), field('Title', { length: 30 })), links)).toMatchObject({
      Material: ['warning type'],
      Mass: ['warning type'],
      Title: ['warning length', 'note required'],
    });
    expect(told(vault(field('Material', { type: 'list', choices: ['DC01', 'tin'] }), field('Mass', { type: 'date', required: true })), links)).toMatchObject({
      Material: ['error list', 'warning list'],
      Mass: ['error type', 'warning required'],
    });
  });
  it('finds fields without a property, properties without a field, and links that cannot work', () => {
    const definition = vault(
      field('Colour'),
      field('Material', { retired: true, type: 'list', choices: ['DC01', '1.4301'] }),
      field('Title', { kinds: ['drawing'], length: 40 }),
      field('Released on'),
    );
    const links = [link('Material', 1), link('Title', 3), link('Revision', 2), link('Lost', 2, { id: 9 }), link('Released on', 3, { id: 8 })];
    const view = compareDefinition(definition, [material, mass, title], links);
    expect(told(definition, links)).toMatchObject({
      Colour: ['note no-property'],
      Material: ['error retired'],
      Title: ['error kind', 'note required'],
      Revision: ['error system'],
      'Released on': ['warning step', 'note required'],
    });
    expect(view.lost).toEqual([{ link: 9, field: 'Lost' }]);
    expect(compareDefinition(definition, [material, mass, title], [link('Title', 3)]).unheld).toEqual([
      { property: 1, kinds: ['part'] },
      { property: 2, kinds: ['part'] },
      { property: 3, kinds: ['drawing'] },
    ]);
  });
  it('says where a field still has the name that its property had before', () => {
    const renamed = { ...mass, writtenName: 'Net mass', knownSpellings: ['Mass'] };
    expect(told(vault(field('Mass', { type: 'number' })), [link('Mass', 2)], [renamed])['Mass']).toEqual(['note name']);
    expect(told(vault(field('Weight', { type: 'number' })), [link('Weight', 2)], [renamed])['Weight']).toEqual([]);
  });
  it('knows steps and states that the workflow does not have', () => {
    const step = (name: string, own = 'Released on') =>
      told(vault(field('Released on'), field('Other')), [link(own, 3, { ...passingOf('a workflow step'), step: name })]);
    expect(step('release')['Released on']).toEqual(['note required']);
    expect(step('melt')['Released on']).toEqual(['error step', 'note required']);
    expect(step('release', 'Other')['Other']).toEqual(['error step', 'note required']);
    expect(told(vault(field('Title', { length: 40 })), [link('Title', 3, { states: [{ state: 'asleep', ...passingOf('neither') }] })])['Title']).toEqual([
      'error state',
      'note required',
    ]);
  });
  it('is handed over as a list of what would make it agree', () => {
    const view = compareDefinition(vault(field('Title', { length: 30 }), field('Mass')), [material, mass, title], [link('Title', 3), link('Mass', 2)]);
    expect(handOver(view, [material, mass, title]).map(({ field: name, what, now, wanted }) => [name, what, now, wanted])).toEqual([
      ['Title', 'length', '30', '40'],
      ['Mass', 'type', 'text', 'number'],
    ]);
  });
});

describe('a link for several kinds, classes, addresses and states', () => {
  it('is for the files that it names', () => {
    const own = link('F', 1, { kinds: ['part', 'assembly'], classes: ['bought part'] });
    expect(linkReaches(own, 'part', 'bought part')).toBe(true);
    expect(linkReaches(own, 'part', null)).toBe(false);
    expect(linkReaches({ ...own, classes: [] }, 'assembly', null)).toBe(true);
    expect(linkReaches(own, 'drawing', 'bought part')).toBe(false);
    expect(linkName(own)).toBe('F (part, assembly: bought part)');
  });
  it('passes by the rule of the state, where there is one', () => {
    const own = link('F', 1, { states: [{ state: 'in check', ...passingOf('the file') }] });
    expect(passingAt(own, 'in check').out).toBe('never');
    expect(passingAt(own, 'open').out).toBe('always');
    expect(passingAt(own, null).out).toBe('always');
  });
  it('closes what the record leads, for the files of its vault, with the reason', () => {
    const typed = property(1, 'Supplier', { kinds: ['part', 'drawing'] });
    const by = (own: Link) => withLeads([typed], [own])[0]!;
    const why = (led: Property, state: string | null, kind: 'part' | 'drawing' = 'part', className: string | null = null) =>
      whyNotChanged(led, { role: 'administrator', kind, className, state });
    const led = by(link('Supplier', 1, passingOf('the record')));
    expect(why(led, 'open')).toBe('is led by the record field Supplier; change it in the vault');
    expect([why(led, null), why(led, 'open', 'drawing'), why(typed, 'open')]).toEqual([null, null, null]);
    expect(why(by(link('F', 1, { ...passingOf('a workflow step'), step: 'release' })), 'open')).toBe("is set by the vault's workflow step release");
    const inCheck = by(link('F', 1, { states: [{ state: 'in check', ...passingOf('the record') }] }));
    expect([why(inCheck, 'open'), why(inCheck, 'in check') === null]).toEqual([null, false]);
    const butNotInCheck = by(link('F', 1, { ...passingOf('the record'), states: [{ state: 'in check', ...passingOf('both') }] }));
    expect([why(butNotInCheck, 'open') === null, why(butNotInCheck, 'in check')]).toEqual([false, null]);
    const bought = by(link('F', 1, { ...passingOf('the record'), classes: ['bought'] }));
    expect([why(bought, 'open', 'part', 'bought') === null, why(bought, 'open', 'part', 'made')]).toEqual([false, null]);
    // Removing the link restores write access.
    expect('led' in withLeads([led], [])[0]!).toBe(false);
  });
  it('is refused where it cannot work', () => {
    const properties = [
      property(1, 'Title', { kinds: ['part'] }),
      property(2, 'Torque', { level: 'occurrence', kinds: ['assembly'] }),
      property(3, 'Sheet title', { level: 'sheet', kinds: ['drawing'] }),
    ];
    const codes = (...links: Link[]) => checkMapping(properties, [], links).map(({ code }) => code);
    expect(codes(link('F', 1, { kinds: ['drawing'], at: [{ property: 1, of: 'model' }], ...passingOf('the file') }))).toEqual([]);
    expect(codes(link('F', 1, { kinds: ['drawing'], at: [{ property: 1, of: 'model' }] }))).toEqual(['model-written']);
    expect(codes(link('F', 1, { at: [{ property: 1, of: 'model' }], ...passingOf('the file') }))).toEqual(['no-model']);
    expect(codes(link('F', 3, { kinds: ['drawing'] }))).toEqual([]);
    expect(codes(link('F', 2, { kinds: ['assembly'] }))).toEqual(['not-held']);
    expect(codes(link('F', 1), link('F', 1, { id: 2, kinds: ['assembly'] }))).toEqual(['not-reached']);
    expect(codes(link('F', 1, { classes: ['a'] }), link('F', 1, { id: 2, classes: ['b'] }))).toEqual([]);
    expect(codes(link('F', 1, { classes: ['a'] }), link('F', 1, { id: 2 }))).toEqual(['field-taken']);
    expect(codes(link('F', 1, { step: 'release' }))).toEqual(['step']);
    expect(codes(link('F', 1, { at: [] }))).toEqual(['no-name']);
    const state = { state: 'open', ...passingOf('neither') };
    expect(codes(link('F', 1, { states: [state, state] }))).toEqual(['state-twice']);
  });
});
