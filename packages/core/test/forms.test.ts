import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import {
  Edits,
  FillFile,
  FillWide,
  Filling,
  canNeverBeTrue,
  checkForm,
  editKey,
  formFor,
  notAsked,
  packFill,
  plainForm,
  planSections,
  readCondition,
  shadowedBy,
  unpackFill,
  waitingFor,
  writeCondition,
} from '../src/forms';
import { compileRule } from '../src/rules';
import {
  EMPTY_SCHEMA,
  EntryForm,
  FormInput,
  HolderFacts,
  PreparedSchema,
  Property,
  layoutChanges,
  newDraft,
  newInput,
  ruleScope,
  slotKey,
} from '../src/schema';
import { HeldValue, compileStandIns, heldText } from '../src/values';

const property = (id: number, writtenName: string, more: Partial<Property> = {}): Property => ({ ...newDraft(writtenName), id, retired: false, ...more });
const prepared = (...properties: Property[]) =>
  new PreparedSchema({ ...EMPTY_SCHEMA, properties }, { standIns: compileStandIns(['-']), states: ['open', 'released'], instant: 0 });

const number = property(1, 'Part number', { required: true, maxLength: 8 });
const making = property(2, 'Make or buy', { type: 'choice', choices: ['make', 'buy'] });
const supplier = property(3, 'Supplier', { maxLength: 20 });
const mass = property(4, 'Mass', { type: 'number', unit: 'kg', decimals: 1 });
const label = property(5, 'Label', { feed: 'ruled', rule: 'Part number + " (" + Make or buy + ")"' });
const torque = property(6, 'Torque', { kinds: ['assembly'], level: 'occurrence', type: 'number', unit: 'N·m' });
const customer = property(7, 'Customer', { feed: 'inherited', inheritFrom: 'project', maxLength: 12 });
const seal = property(8, 'Sealed', { kinds: ['part'], level: 'document', type: 'yesno' });
const schema = prepared(number, making, supplier, mass, label, torque, customer, seal);

const input = (of: Property, more: Partial<FormInput> = {}): FormInput => ({ ...newInput(`i${of.id}`, of), ...more });
const form = (inputs: readonly FormInput[], more: Partial<EntryForm> = {}): EntryForm => ({
  id: 1,
  name: 'Part',
  kinds: ['part'],
  classes: [],
  panels: [{ key: 'p', title: 'Identity', shownWhen: '', inputs }],
  ...more,
});

const texts = (values: Readonly<Record<string, string>>): Map<string, HeldValue> =>
  new Map(Object.entries(values).map(([name, text]) => [slotKey('property', name), heldText(text)]));
const file = (id: number, values: Readonly<Record<string, string>>, more: Partial<FillFile> = {}): FillFile => ({
  id,
  path: `parts/${id}.step`,
  name: `${id}.step`,
  folder: 'parts',
  kind: 'part',
  className: null,
  state: null,
  lock: null,
  held: texts(values),
  geometry: null,
  model: null,
  parts: [],
  above: {},
  holders: [],
  wide: {},
  ...more,
});
const occurrence = (key: string, named: string, values: Readonly<Record<string, string>> = {}): HolderFacts => ({
  level: 'occurrence',
  key,
  label: named,
  held: texts(values),
  part: null,
  sheet: null,
});

const filling = (
  of: EntryForm,
  files: readonly FillFile[],
  wides: readonly FillWide[] = [],
  role: 'editor' | 'administrator' | 'viewer' = 'editor',
  law = schema,
) => new Filling([{ key: 's', title: '', form: of, files }], wides, law, role);
const typed = (...entries: readonly (readonly [FormInput, string, string?])[]): Edits =>
  new Map(entries.map(([of, text, row]) => [editKey('s', of.key, row ?? ''), text]));
const rowOf = (view: ReturnType<Filling['view']>, of: FormInput, row = 0) =>
  view.panels.flatMap((panel) => panel.inputs).find((entry) => entry.input.key === of.key)!.rows[row]!;

describe('a form over many files', () => {
  const inputs = [input(number), input(making), input(supplier), input(mass)];
  const files = [
    file(1, { 'Part number': 'A-1', 'Make or buy': 'buy' }),
    file(2, { 'Part number': 'A-2', 'Make or buy': 'buy', Mass: '1.5' }),
    file(3, { 'Make or buy': 'make' }),
  ];

  it('shows what they share, and what differs with its counts', () => {
    const view = filling(form(inputs), files).view(new Map(), new Map());
    expect(rowOf(view, inputs[1]!)).toMatchObject({
      state: 'mixed',
      text: '',
      targets: 3,
      distinct: 2,
      values: [
        { text: 'buy', count: 2 },
        { text: 'make', count: 1 },
      ],
    });
    expect(rowOf(view, inputs[2]!)).toMatchObject({ state: 'blank', text: '' });
    expect(view).toMatchObject({ values: [], files: 0, refused: 0, leftovers: [] });
    expect(view.panels[0]!.inputs[0]!.missing).toBe(1);
  });

  it('changes only what was touched, and only where it says something else', () => {
    const view = filling(form(inputs), files).view(typed([inputs[1]!, 'buy']), new Map());
    expect(view.values).toEqual([{ file: 3, holder: '', property: 2, text: 'buy' }]);
    expect(view.files).toBe(1);
    expect(rowOf(view, inputs[1]!)).toMatchObject({ typed: 'buy', changes: 1, state: 'same', text: 'buy' });
  });

  it('counted numbers are not typed but drawn, where somebody may change them and the file can be written', () => {
    const counted = property(20, 'Number', { feed: 'counted', series: 'Parts' });
    const guarded = property(21, 'Serial', { feed: 'counted', series: 'Parts', mayChange: { role: 'administrator', closedClasses: [], states: [] } });
    const law = prepared(counted, guarded);
    const own = form([input(counted), input(guarded)]);
    const some = [file(1, {}), file(2, { Number: 'A-1' }), file(3, {}, { lock: 'is released in the vault' })];
    const view = (role: 'editor' | 'administrator' | 'viewer') =>
      filling(own, some, [], role, law)
        .view(new Map(), new Map())
        .panels[0]!.inputs.map((entry) => [entry.open, entry.drawable]);
    expect(view('editor')).toEqual([
      [false, [1, 2]],
      [false, []],
    ]);
    expect(view('administrator')[1]).toEqual([false, [1, 2]]);
    expect(view('viewer').map(([, drawable]) => drawable)).toEqual([[], []]);
  });

  it('never writes what breaks the schema, and says what is wrong', () => {
    const view = filling(form(inputs), files).view(typed([inputs[0]!, 'far too long'], [inputs[3]!, 'heavy'], [inputs[2]!, '-']), new Map());
    expect(view.values).toEqual([]);
    expect(view.refused).toBe(3);
    expect(rowOf(view, inputs[0]!).wrong).toEqual(['may have 8 characters, has 12']);
    expect(rowOf(view, inputs[3]!).wrong[0]).toMatch(/is not a number/);
  });

  it('counts a number that is typed in another way, or held as a text, as the same', () => {
    const view = filling(form(inputs), [files[1]!]).view(typed([inputs[3]!, '1500 g']), new Map());
    expect(view.values).toEqual([]);
  });

  it('says why nothing can be typed, for how many files', () => {
    const some = [files[0]!, file(4, {}, { lock: 'is released' })];
    const view = filling(form([inputs[2]!, input(label)]), some).view(typed([inputs[2]!, 'Otterby']), new Map());
    expect(view.values.map((value) => value.file)).toEqual([1]);
    const [first, second] = view.panels[0]!.inputs;
    // Locks are per file; an input mentions them only if no file is left.
    expect(first).toMatchObject({ open: true, closed: [] });
    const locked = filling(form([inputs[2]!]), [some[1]!]).view(new Map(), new Map());
    expect(locked.panels[0]!.inputs[0]).toMatchObject({ open: false, closed: [{ reason: 'cannot be changed: the file is released', count: 1 }] });
    expect(second).toMatchObject({ open: false, closed: [{ reason: 'is computed by a rule and is read-only', count: 2 }] });
    expect(filling(form([inputs[2]!]), some, [], 'viewer').view(typed([inputs[2]!, 'x']), new Map()).values).toEqual([]);
  });

  it('shows what a rule comes to while somebody types', () => {
    const rule = input(label);
    const view = filling(form([inputs[0]!, inputs[1]!, rule]), [files[0]!]).view(typed([inputs[0]!, 'B-9']), new Map());
    expect(rowOf(view, rule).text).toBe('B-9 (buy)');
  });

  it('is the same as asking each file for itself', () => {
    fc.assert(
      fc.property(
        fc.array(fc.record({ making: fc.constantFrom('', 'make', 'buy'), supplier: fc.constantFrom('', 'a', 'b') }), { minLength: 1, maxLength: 8 }),
        fc.constantFrom('', 'make', 'buy', 'neither'),
        fc.constantFrom(null, '', 'a', 'c'),
        (list, first, second) => {
          const many = list.map((values, i) =>
            file(i + 1, Object.fromEntries(Object.entries({ 'Make or buy': values.making, Supplier: values.supplier }).filter(([, text]) => text))),
          );
          const edits = typed([inputs[1]!, first], ...(second === null ? [] : ([[inputs[2]!, second]] as const)));
          const together = filling(form(inputs), many).view(edits, new Map()).values;
          const each = many.flatMap((one) => filling(form(inputs), [one]).view(edits, new Map()).values);
          const sorted = (values: typeof together) => [...values].sort((a, b) => a.file - b.file || a.property - b.property);
          expect(sorted(together)).toEqual(sorted(each));
        },
      ),
    );
  });
});

describe('files that a property does not reach', () => {
  it('are left out of its input, by kind and by class', () => {
    const welded = property(7, 'Weld class', { kinds: ['part'], classes: ['Weldment'] });
    const own = prepared(number, welded);
    const files = [file(1, {}, { className: 'Weldment' }), file(2, {}), file(3, {}, { kind: 'assembly', className: 'Weldment' })];
    const entry = input(welded);
    const view = filling(form([entry]), files, [], 'editor', own).view(typed([entry, 'C']), new Map());
    expect(view.values.map((value) => value.file)).toEqual([1]);
    expect(view.panels[0]!.inputs[0]).toMatchObject({ of: 1 });
  });
});

describe('an empty text that a file holds', () => {
  it('is a blank: leaving it blank changes nothing, in whatever input it is asked for', () => {
    const [one, other] = [input(supplier), input(supplier, { key: 'other' })];
    const files = [file(1, { Supplier: '' }), file(2, {})];
    const view = filling(form([one, other]), files).view(typed([one, '']), new Map());
    expect(view.values).toEqual([]);
    expect(view.panels[0]!.inputs.flatMap((entry) => entry.rows.map((row) => row.changes))).toEqual([0, 0]);
    const filled = filling(form([one, other]), files).view(typed([one, 'Otterby']), new Map());
    expect(filled.values.map((value) => [value.file, value.text])).toEqual([
      [1, 'Otterby'],
      [2, 'Otterby'],
    ]);
    expect(filled.panels[0]!.inputs.flatMap((entry) => entry.rows.map((row) => row.changes))).toEqual([2, 2]);
  });
});

describe('conditions', () => {
  const buying = input(making);
  const of = (whenHidden: FormInput['whenHidden']) => input(supplier, { shownWhen: 'Make or buy = "buy"', requiredWhen: 'Make or buy = "buy"', whenHidden });
  const bought = file(1, { 'Make or buy': 'buy', Supplier: 'Otterby' });

  it('show an input for the files that meet them', () => {
    const view = filling(form([buying, of('keep')]), [bought, file(2, { 'Make or buy': 'make' }), file(3, { 'Make or buy': 'buy' })]).view(
      new Map(),
      new Map(),
    );
    const entry = view.panels[0]!.inputs[1]!;
    expect(entry).toMatchObject({ shownFor: 2, of: 3, required: true, missing: 1 });
    expect(filling(form([of('keep')]), [file(2, {})]).view(new Map(), new Map()).panels).toEqual([]);
  });

  it.each([
    ['keep', [{ file: 1, holder: '', property: 2, text: 'make' }], [{ asks: false }]],
    [
      'clear',
      [
        { file: 1, holder: '', property: 2, text: 'make' },
        { file: 1, holder: '', property: 3, text: '' },
      ],
      [],
    ],
    ['ask', [{ file: 1, holder: '', property: 2, text: 'make' }], [{ asks: true }]],
  ] as const)('that hide an input %s its value', (whenHidden, values, leftovers) => {
    const view = filling(form([buying, of(whenHidden)]), [bought]).view(typed([buying, 'make']), new Map());
    expect(view.values).toEqual(values);
    expect(view.leftovers).toMatchObject(leftovers);
  });

  it('ask once, and do as is decided', () => {
    const clear = filling(form([buying, of('ask')]), [bought]).view(typed([buying, 'make']), new Map([['s/i3', 'clear' as const]]));
    expect(clear.values.map((value) => [value.property, value.text])).toEqual([
      [2, 'make'],
      [3, ''],
    ]);
    const keep = filling(form([buying, of('ask')]), [bought]).view(typed([buying, 'make']), new Map([['s/i3', 'keep' as const]]));
    expect(keep.leftovers).toEqual([{ key: 's/i3', caption: 'Supplier', files: 1, asks: false }]);
  });

  it('report a value that no visible input owned to begin with, and touch it not', () => {
    const stray = file(1, { 'Make or buy': 'make', Supplier: 'Otterby' });
    const view = filling(form([buying, of('clear')]), [stray]).view(new Map(), new Map());
    expect(view.values).toEqual([]);
    expect(view.leftovers).toEqual([{ key: 's/i3', caption: 'Supplier', files: 1, asks: false }]);
    // Another visible input owns it.
    expect(filling(form([buying, of('clear'), input(supplier, { key: 'other' })]), [stray]).view(new Map(), new Map()).leftovers).toEqual([]);
  });

  it('make an input read-only, with the reason', () => {
    const closed = input(supplier, { readOnlyWhen: 'Make or buy = "make"' });
    const view = filling(form([closed]), [file(1, { 'Make or buy': 'make' })]).view(new Map(), new Map());
    expect(view.panels[0]!.inputs[0]).toMatchObject({ open: false, closed: [{ reason: 'is read-only in this form', count: 1 }] });
  });
});

describe('other levels', () => {
  const ask = input(torque);
  const unit = file(
    1,
    {},
    { kind: 'assembly', holders: [occurrence('o1', 'drum bearing', { Torque: '20' }), occurrence('o2', 'drum bearing'), occurrence('o3', 'gear motor')] },
  );
  const assembly = form([ask], { kinds: ['assembly'] });

  it('of one file have a field for each holder, and one for all', () => {
    const view = filling(assembly, [unit]).view(typed([ask, '25', 'o2']), new Map());
    expect(view.panels[0]!.inputs[0]!.rows.map((row) => [row.id, row.label, row.targets])).toEqual([
      ['', 'all 3', 3],
      ['o1', 'drum bearing', 1],
      ['o2', 'drum bearing', 1],
      ['o3', 'gear motor', 1],
    ]);
    expect(view.values).toEqual([{ file: 1, holder: 'o2', property: 6, text: '25' }]);
  });

  it('of many files have a field for each name, and what is typed for one comes before what is typed for all', () => {
    const other = { ...unit, id: 2 };
    const view = filling(assembly, [unit, other]).view(typed([ask, '10'], [ask, '30', 'gear motor']), new Map());
    expect(rowOf(view, ask, 1)).toMatchObject({ label: 'drum bearing', targets: 4, changes: 4 });
    expect(view.values.filter((value) => value.text === '30').map((value) => [value.file, value.holder])).toEqual([
      [1, 'o3'],
      [2, 'o3'],
    ]);
    expect(view.values).toHaveLength(6);
  });

  it('show what they fall back to where they are blank, and do not count it as missing', () => {
    const needed = { ...torque, required: true };
    const law = prepared(needed);
    const part = file(7, { Torque: '12' });
    const placed = { ...unit, holders: [{ ...occurrence('o1', 'drum bearing'), part }, occurrence('o2', 'drum bearing')] };
    const view = filling(form([ask], { kinds: ['assembly'] }), [placed], [], 'editor', law).view(new Map(), new Map());
    expect(view.panels[0]!.inputs[0]!.rows.map((row) => [row.id, row.text, row.fallback])).toEqual([
      ['', '', null],
      ['o1', '', '12'],
      ['o2', '', null],
    ]);
    expect(view.panels[0]!.inputs[0]!.missing).toBe(1);
  });

  it('see what their file has by its plain name, in conditions of inputs and panels, with what is typed there now', () => {
    const welded = property(20, 'Welded', { type: 'yesno' });
    const cut = property(21, 'Cut length', { level: 'body', type: 'number', unit: 'mm' });
    const law = prepared(welded, cut);
    const [askWelded, askCut] = [input(welded), input(cut, { shownWhen: 'Welded' })];
    const body = (key: string): HolderFacts => ({ ...occurrence(key, key), level: 'body' });
    const frame = (id: number, text: string) => file(id, { Welded: text }, { holders: [body('b1'), body('b2')] });
    const mixed = form([askWelded, askCut]);
    const rows = (of: FillFile, edits: Edits = new Map()) =>
      filling(mixed, [of], [], 'editor', law)
        .view(edits, new Map())
        .panels.flatMap((panel) => panel.inputs)
        .find((entry) => entry.input.key === askCut.key)?.rows.length;
    expect([rows(frame(1, 'yes')), rows(frame(2, 'no')), rows(frame(3, 'no'), typed([askWelded, 'yes']))]).toEqual([3, undefined, 3]);
    const inPanel = form([], { panels: [{ key: 'q', title: 'Cut list', shownWhen: 'Welded', inputs: [input(cut)] }] });
    const shown = (of: FillFile) => filling(inPanel, [of], [], 'editor', law).view(new Map(), new Map()).panels.length;
    expect([shown(frame(1, 'yes')), shown(frame(2, 'no'))]).toEqual([1, 0]);
  });

  it('tells what stands where something was typed, so that who comes back sees whether it is what it was', () => {
    const [ask1, ask2] = [input(number), input(supplier)];
    const own = filling(form([ask1, ask2]), [file(1, { 'Part number': 'A' }), file(2, { 'Part number': 'B' }), file(3, { 'Part number': 'A' })]);
    expect(own.standing(editKey('s', ask1.key, ''))).toEqual({
      caption: 'Part number',
      texts: [
        { text: 'A', count: 2 },
        { text: 'B', count: 1 },
      ],
    });
    expect(own.standing(editKey('s', ask2.key, ''))?.texts).toEqual([{ text: '', count: 3 }]);
    expect(own.standing(editKey('gone', ask2.key, ''))).toBeNull();
  });

  it('can be preset to holders of certain names', () => {
    const named = input(torque, { holders: 'named', holderNames: ['gear motor'] });
    const view = filling(form([named], { kinds: ['assembly'] }), [unit]).view(typed([named, '8']), new Map());
    expect(view.values).toEqual([{ file: 1, holder: 'o3', property: 6, text: '8' }]);
  });

  it('above the files are asked for once for all of them, and files show what they would inherit', () => {
    const wide: FillWide = { id: 9, level: 'project', name: 'Halden', held: new Map([['Customer', heldText('Halden Mill')]]) };
    const members = [1, 2].map((id) => file(id, {}, { wide: { project: 9 }, above: { project: wide.held } }));
    const asked = input(customer);
    expect(asked.level).toBe('project');
    const inherits = input(customer, { key: 'own', level: 'document' });
    const view = filling(form([asked, inherits]), members, [wide]).view(typed([asked, 'Tern Street', '9']), new Map());
    expect(view.values).toEqual([{ file: -9, holder: '', property: 7, text: 'Tern Street' }]);
    expect(rowOf(view, inherits)).toMatchObject({ text: 'Tern Street', targets: 2 });
    expect(rowOf(view, asked)).toMatchObject({ label: 'Halden', typed: 'Tern Street' });
  });
});

describe('files of several classes', () => {
  const files = [file(1, {}, { className: 'Bought' }), file(2, {}, { className: 'Machined' }), file(3, {}, { className: 'Machined' })];
  const forms = [
    form([input(number), input(mass)], { id: 1, name: 'Any part' }),
    form([input(number), input(supplier)], { id: 2, name: 'Bought part', classes: ['Bought'] }),
  ];
  it('are filled in by the form for their class, or else the one for all', () => {
    expect(formFor(forms, 'part', 'Bought')!.id).toBe(2);
    expect(formFor(forms, 'part', 'Machined')!.id).toBe(1);
    expect(formFor(forms, 'part', null)!.id).toBe(1);
    expect(formFor(forms, 'drawing', null)).toBeNull();
  });
  const layout = (mode: 'shared' | 'apart') =>
    planSections(files, forms, schema.schema.properties, mode).map((section) => ({
      title: section.title,
      files: section.files.map((entry) => entry.id),
      asks: section.form.panels.flatMap((panel) => panel.inputs.map((entry) => entry.property)),
    }));
  it('share what all their forms ask, and show the rest apart', () => {
    expect(layout('shared')).toEqual([
      { title: 'Shared by all', files: [1, 2, 3], asks: [1] },
      { title: 'Bought part', files: [1], asks: [3] },
      { title: 'Any part', files: [2, 3], asks: [4] },
    ]);
    expect(layout('apart')).toEqual([
      { title: 'Bought part', files: [1], asks: [1, 3] },
      { title: 'Any part', files: [2, 3], asks: [1, 4] },
    ]);
  });
  it('ask for everything that can be typed where no form is laid out', () => {
    const plain = plainForm(schema.schema.properties, 'part', null);
    expect(plain.panels.flatMap((panel) => panel.inputs.map((entry) => entry.property))).toEqual([1, 2, 3, 4, 8]);
    expect(checkForm(plain, schema).filter((problem) => problem.severity === 'error')).toEqual([]);
  });
});

describe('checking a form', () => {
  const codes = (of: EntryForm) => checkForm(of, schema, ['Bought']).map((problem) => `${problem.severity} ${problem.code}`);
  it('finds nothing in a good one', () => expect(codes(form([input(number), input(making)]))).toEqual([]));
  it.each<[string, EntryForm, string[]]>([
    ['no name and no kind', form([input(number)], { name: ' ', kinds: [] }), ['error name', 'error kinds', 'warning not-reached']],
    ['a class that is not there', form([input(number)], { classes: ['Gone'] }), ['warning kinds']],
    ['a property that is not there', form([{ ...input(number), property: 99 }]), ['error unknown']],
    ['the same property twice', form([input(number), input(number, { key: 'again' })]), ['warning twice']],
    ['a level that the property is not held at', form([input(number, { level: 'occurrence' })]), ['error level']],
    ['a look that does not suit', form([input(mass, { look: 'date' })]), ['warning look']],
    ['a value that nobody may type', form([input(label)]), ['warning closed']],
    ['a kind that it does not apply to', form([input(torque)]), ['warning not-reached']],
    ['an empty panel', form([]), ['warning empty']],
    ['a broken condition', form([input(number, { shownWhen: 'Weigth > 1' })]), ['error condition']],
    ['a condition that is none', form([input(number, { shownWhen: 'Mass + 1' })]), ['error condition']],
    ['a condition that can never be true', form([input(number, { shownWhen: 'Make or buy = "sold"' })]), ['warning never']],
    ['named holders without names', form([input(torque, { holders: 'named' })], { kinds: ['assembly'] }), ['warning holders']],
  ])('names %s', (_, of, expected) => expect(codes(of)).toEqual(expected));
  it('names a retired property', () => {
    const law = prepared({ ...number, retired: true });
    expect(checkForm(form([input(number)]), law).map((problem) => problem.code)).toEqual(['retired']);
  });
  it('names required properties that no form asks for, by kind', () => {
    const all = schema.schema.properties;
    expect(notAsked([form([input(making)])], all, ['part']).map((entry) => entry.property.id)).toEqual([1]);
    expect(notAsked([form([input(number)])], all, ['part'])).toEqual([]);
    expect(notAsked([], all, ['part'])).toEqual([]);
  });
});

describe('a condition that can never be true', () => {
  const never = (text: string) => {
    const rule = compileRule(text, ruleScope(schema.schema.properties, { clock: true }));
    if (!rule.ok) throw new Error(rule.problems[0]!.message);
    return canNeverBeTrue(rule.value, schema, ['part']);
  };
  it.each([
    ['false', true],
    ['Make or buy = "make" and Make or buy = "buy"', true],
    ['Make or buy = "buy" and Sealed', false],
    ['Mass > 5 and Mass < 3', true],
    ['Mass > 5 and Mass < 5.2', false],
    ['Mass in [2..3]', false],
    ['Supplier = "a" and Supplier != "a"', true],
    ['Supplier != "a"', false],
    ['Supplier = null', false],
    ['file.kind = "drawing"', true],
    ['file.kind = "part"', false],
    ['contains(Supplier, "x") and false', false],
    ['model.Mass > 1 and false', false],
  ])('%s: %s', (text, expected) => expect(never(text)).toBe(expected));
});

describe('files on their way to the page', () => {
  const held = fc.dictionary(fc.constantFrom('A', 'B', 'C'), fc.string({ maxLength: 5 }), { noNullPrototype: true }).map(texts);
  const facts = fc.record({ id: fc.integer({ min: 1, max: 50 }), held });
  it('come out as they went in, with what they look at', () => {
    fc.assert(
      fc.property(fc.uniqueArray(facts, { selector: (entry) => entry.id, maxLength: 6 }), facts, held, (list, model, above) => {
        const shown = file(100 + model.id, {}, { held: model.held });
        const { path: _p, lock: _l, holders: _h, wide: _w, ...bare } = shown;
        const wide: FillWide = { id: 3, level: 'project', name: 'P', held: new Map([...above].map(([key, value]) => [key.slice('property/'.length), value])) };
        const files = list.map((entry, i) =>
          file(
            entry.id,
            {},
            {
              held: entry.held,
              model: i % 2 ? bare : null,
              parts: [{ file: bare, quantity: 2 }],
              wide: { project: 3 },
              above: { project: wide.held },
              holders: [{ ...occurrence('o', 'x'), held: entry.held, part: bare }],
            },
          ),
        );
        const packed = JSON.parse(JSON.stringify(packFill(files, [wide]))) as ReturnType<typeof packFill>;
        expect(unpackFill(packed)).toEqual({ files, wides: [wide] });
      }),
    );
  });
});

describe('a condition put together by choosing', () => {
  const properties = [number, making, supplier, mass, seal];
  const said = (source: string) => {
    const condition = readCondition(source, properties);
    return condition && [condition.joint, ...condition.clauses.map(({ property, test, values }) => [property, test, ...values].join(' '))];
  };
  it.each([
    ['Make or buy = "buy"', ['and', '2 is buy']],
    ['Make or buy != "buy" and Sealed', ['and', '2 is not buy', '8 is yes']],
    ['not(Sealed) or Mass >= -2.5 or Supplier = null', ['or', '8 is no', '4 is at least -2.5', '3 is blank']],
    ['Make or buy in ("make", "buy")', ['and', '2 is one of make buy']],
    ['Sealed = yes', ['and', '8 is yes']],
    ['Sealed != true', ['and', '8 is no']],
    ['', ['and']],
    ['Make or buy = "buy" and (Sealed or Mass > 1)', null],
    ['string length(Supplier) > 3', null],
    ['Supplier = Part number', null],
    ['Make or', null],
  ])('%s', (source, expected) => expect(said(source)).toEqual(expected));

  it('says as an expression what it says in clauses, whatever is chosen', () => {
    const clause = fc.oneof(
      fc.record({ property: fc.constant(2), test: fc.constantFrom('is', 'is not'), values: fc.tuple(fc.constantFrom('make', 'buy', 'a "b"')) }),
      fc.record({ property: fc.constant(2), test: fc.constant('is one of'), values: fc.array(fc.string(), { minLength: 1, maxLength: 3 }) }),
      fc.record({ property: fc.constant(4), test: fc.constantFrom('is at least', 'is less than', 'is'), values: fc.tuple(fc.integer().map(String)) }),
      fc.record({ property: fc.constant(8), test: fc.constant('is'), values: fc.tuple(fc.constantFrom('yes', 'no')) }),
      fc.record({ property: fc.constantFrom(3, 8), test: fc.constantFrom('is blank', 'is filled in'), values: fc.constant([]) }),
    );
    fc.assert(
      fc.property(fc.constantFrom('and', 'or'), fc.array(clause, { minLength: 2, maxLength: 5 }), (joint, clauses) => {
        const condition = { joint, clauses } as Parameters<typeof writeCondition>[0];
        const source = writeCondition(condition, properties);
        expect(readCondition(source, properties)).toEqual(condition);
        const compiled = compileRule(source, ruleScope(properties, { clock: true }));
        expect([source, compiled.ok]).toEqual([source, true]);
      }),
    );
  });
});

describe('a form among forms', () => {
  const named = (id: number, name: string, classes: string[], kinds: EntryForm['kinds'] = ['part']): EntryForm => ({ ...form([]), id, name, classes, kinds });
  const [all, again, bought, both] = [named(1, 'All', []), named(2, 'Again', []), named(3, 'Bought', ['Bought']), named(4, 'Both', ['Bought', 'Made'])];
  const rivals = (forms: EntryForm[], of: EntryForm) => shadowedBy(forms, of, ['Bought', 'Made']).map(({ name }) => name);
  it('is never used where others come first for all its files', () => {
    expect(rivals([all, again], again)).toEqual(['All']);
    expect(rivals([again, all], again)).toEqual([]);
    // A form naming a class takes precedence for that class, wherever listed.
    expect([rivals([all, bought], all), rivals([all, bought], bought)]).toEqual([[], []]);
    expect([rivals([both, bought], bought), rivals([bought, both], both)]).toEqual([['Both'], []]);
    expect(rivals([all, named(5, 'Wide', [], ['part', 'drawing'])], named(5, 'Wide', [], ['part', 'drawing']))).toEqual([]);
  });
  it('tells what waits for a value', () => {
    const waits = form([input(making), input(supplier, { shownWhen: 'Make or buy = "buy" and Sealed' })]);
    expect([...waitingFor(waits, schema)]).toEqual([
      [2, [{ panel: waits.panels[0]!.key, input: 'i3' }]],
      [8, [{ panel: waits.panels[0]!.key, input: 'i3' }]],
    ]);
  });
  it('says that a required value is not cleared when its input is hidden', () => {
    const hidden = form([input(making), input(number, { shownWhen: 'Make or buy = "buy"', whenHidden: 'clear' })]);
    expect(checkForm(hidden, schema).map((problem) => [problem.code, problem.input])).toEqual([['clears-nothing', 'i1']]);
  });
});

describe('two layouts of a form', () => {
  const panels = (...lists: readonly (readonly FormInput[])[]) => lists.map((inputs, i) => ({ key: `p${i}`, title: `Panel ${i}`, shownWhen: '', inputs }));
  const told = (before: EntryForm['panels'], after: EntryForm['panels']) =>
    layoutChanges(before, after, (id) => [number, making, supplier, mass].find((property) => property.id === id)!.caption);
  it('are compared by what people call things', () => {
    const before = panels([input(number), input(making)], [input(supplier)]);
    const after = panels([input(making, { width: 3, shownWhen: 'Sealed' }), input(supplier)], [input(mass)], []);
    expect(told(before, after)).toEqual([
      'Panel Panel 2 added',
      'Part number removed from Panel 0',
      'Make or buy: width 1 → 3',
      'Make or buy: shown when nothing → Sealed',
      'Supplier moved from Panel 1 to Panel 0',
      'Mass added to Panel 1',
    ]);
    expect(told(before, panels([input(making), input(number)], [input(supplier)]))).toEqual(['Order of inputs or panels changed']);
    expect(told(before, [before[0]!, { ...before[1]!, title: 'Buying', shownWhen: 'Sealed', columns: 2 }])).toEqual([
      'Panel Panel 1 renamed to Buying',
      'Panel Buying: columns 4 → 2',
      'Panel Buying: shown when nothing → Sealed',
    ]);
  });
});
