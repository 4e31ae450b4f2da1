import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import {
  Check,
  ChoiceListDraft,
  EMPTY_SCHEMA,
  FileFacts,
  HeldBySlot,
  HolderFacts,
  KINDS,
  LETTERS_LEFT_OUT,
  PreparedSchema,
  Property,
  PropertyDraft,
  Schema,
  SchemaChange,
  applyChanges,
  checkDefinition,
  checkList,
  checkSeries,
  choiceColumn,
  choicesFor,
  compareList,
  compareSchemas,
  countIn,
  countOfLetters,
  countText,
  differing,
  draftOf,
  frameOf,
  lettersOf,
  lookAlike,
  mergeDefinitions,
  newDraft,
  newSeries,
  nextCount,
  nextRevision,
  oddLetters,
  readSchemaTable,
  renamed,
  Binding,
  CELL_SOURCES,
  CLASHES,
  EntryForm,
  Link,
  PASSES,
  PLAIN_CELL,
  renames,
  repairFor,
  namesRead,
  runExample,
  schemaPage,
  schemaTable,
  toJsonSchema,
  whyNotChanged,
} from '../src/schema';
import { HeldValue, compileStandIns, heldText } from '../src/values';

const property = (id: number, writtenName: string, change: Partial<Property> = {}): Property => ({ ...newDraft(writtenName), id, retired: false, ...change });
const schemaOf = (...properties: Property[]): Schema => ({ ...EMPTY_SCHEMA, properties });

describe('editions', () => {
  const definition = fc.record({
    id: fc.integer({ min: 1, max: 9 }),
    name: fc.constantFrom('Mass', 'Material', 'Finish', 'Supplier'),
    caption: fc.constantFrom('a', 'b', 'c'),
    maxLength: fc.constantFrom(null, 10, 20),
    choices: fc.array(fc.constantFrom('x', 'y'), { maxLength: 2 }),
    retired: fc.boolean(),
  });
  const check = fc.record<Check>({
    id: fc.integer({ min: 1, max: 5 }),
    title: fc.constantFrom('one', 'two'),
    severity: fc.constantFrom('error', 'warning'),
    kinds: fc.subarray([...KINDS], { minLength: 1 }),
    classes: fc.constant([]),
    condition: fc.constantFrom('true', 'Mass > 1'),
    message: fc.constant('no'),
  });
  const form = fc.record<EntryForm>({
    id: fc.integer({ min: 1, max: 4 }),
    name: fc.constantFrom('Machined', 'Welded'),
    kinds: fc.subarray([...KINDS], { minLength: 1 }),
    classes: fc.constant([]),
    panels: fc.array(
      fc.record({ key: fc.constantFrom('p1', 'p2'), title: fc.constantFrom('Identity', 'Making'), shownWhen: fc.constant(''), inputs: fc.constant([]) }),
      { maxLength: 2 },
    ),
  });
  const binding = fc.record<Binding>({
    id: fc.integer({ min: 1, max: 5 }),
    block: fc.constantFrom(null, 'A3', 'a3'),
    cell: fc.constantFrom('TITLE', 'NO'),
    leads: fc.boolean(),
    shows: fc.array(
      fc.oneof(
        fc.record({ words: fc.constantFrom(' · ', 'Sheet ') }),
        fc.record({ property: fc.integer({ min: 1, max: 9 }), from: fc.constantFrom(...CELL_SOURCES), form: fc.constant(PLAIN_CELL) }),
      ),
      { maxLength: 3 },
    ),
  });
  const link = fc.record<Link>({
    id: fc.integer({ min: 1, max: 5 }),
    field: fc.constantFrom('Title', 'Number'),
    kinds: fc.subarray([...KINDS], { minLength: 1 }),
    classes: fc.subarray(['made', 'bought']),
    at: fc.array(
      fc.oneof(fc.record({ property: fc.integer({ min: 1, max: 9 }) }), fc.record({ place: fc.constant('field' as const), name: fc.constant('product id') })),
      {
        minLength: 1,
        maxLength: 2,
      },
    ),
    states: fc.constant([]),
    step: fc.constantFrom(null, 'release'),
    in: fc.constantFrom(...PASSES),
    out: fc.constantFrom(...PASSES),
    onClash: fc.constantFrom(...CLASHES),
  });
  const once = <T extends { id: number }>(list: readonly T[]): T[] => [...new Map(list.map((entry) => [entry.id, entry])).values()];
  const schema = fc
    .record({
      definitions: fc.array(definition, { maxLength: 8 }),
      checks: fc.array(check, { maxLength: 4 }),
      forms: fc.array(form, { maxLength: 3 }),
      drawing: fc.constantFrom('allowed', 'refused'),
      bindings: fc.array(binding, { maxLength: 4 }),
      links: fc.array(link, { maxLength: 4 }),
    })
    .map(({ definitions, checks, forms, drawing, bindings, links }): Schema => ({
      properties: once(definitions.map(({ id, name, ...change }) => property(id, `${name} ${id}`, change))),
      checks: once(checks),
      forms: once(forms),
      strangers: { ...EMPTY_SCHEMA.strangers, drawing: drawing },
      bindings: once(bindings).sort((a, b) => a.id - b.id),
      links: once(links).sort((a, b) => a.id - b.id),
    }));
  it('comparing two and applying what differs leads from the one to the other', () => {
    fc.assert(
      fc.property(schema, schema, (before, after) => expect(applyChanges(before, compareSchemas(before, after))).toEqual(after)),
      { numRuns: 500 },
    );
  });
  it('one does not differ from itself', () => fc.assert(fc.property(schema, (one) => expect(compareSchemas(one, one)).toEqual([]))));
  it('a difference survives being written down', () => {
    fc.assert(
      fc.property(schema, schema, (before, after) =>
        expect(applyChanges(before, JSON.parse(JSON.stringify(compareSchemas(before, after))) as SchemaChange[])).toEqual(after),
      ),
    );
  });
  it('names a renamed property and keeps its old name as a known spelling', () => {
    const before = schemaOf(property(1, 'Werkstoff'));
    const after = schemaOf({ ...before.properties[0]!, ...renamed(draftOf(before.properties[0]!), 'Material') });
    expect(renames(before, after)).toMatchObject([{ from: 'Werkstoff', property: { writtenName: 'Material', knownSpellings: ['Werkstoff'] } }]);
    expect(renamed(draftOf(after.properties[0]!), 'Werkstoff').knownSpellings).toEqual(['Material']);
  });
  describe('two people at one definition', () => {
    const fields = fc.record({ a: fc.nat(2), b: fc.nat(2), c: fc.array(fc.nat(1), { maxLength: 2 }) });
    it('lose nothing: what only one of them changed is kept, contradictions are named', () => {
      fc.assert(
        fc.property(fields, fields, fields, (base, theirs, mine) => {
          const { merged, conflicts } = mergeDefinitions(base, theirs, mine);
          for (const key of ['a', 'b', 'c'] as const) {
            const same = (x: unknown, y: unknown) => JSON.stringify(x) === JSON.stringify(y);
            const contradiction = conflicts.some((conflict) => conflict.field === key);
            expect(contradiction).toBe(!same(mine[key], base[key]) && !same(theirs[key], base[key]) && !same(mine[key], theirs[key]));
            if (!contradiction) expect(merged[key]).toEqual(same(mine[key], base[key]) ? theirs[key] : mine[key]);
          }
        }),
      );
    });
    it('come to the same whoever is first, where they do not contradict each other', () => {
      fc.assert(
        fc.property(fields, fields, fields, (base, one, other) => {
          const [first, second] = [mergeDefinitions(base, one, other), mergeDefinitions(base, other, one)];
          expect(first.conflicts.map((conflict) => conflict.field)).toEqual(second.conflicts.map((conflict) => conflict.field));
          if (first.conflicts.length === 0) expect(first.merged).toEqual(second.merged);
        }),
      );
    });
  });
});

describe('a definition', () => {
  const problems = (change: Partial<PropertyDraft>, others: Property[] = []) =>
    checkDefinition({ ...newDraft('Material'), ...change }, others, { lists: ['Materials'], series: ['Parts'], classes: ['Bought'] }).map(
      ({ severity, field, message }) => `${severity} ${field}: ${message}`,
    );
  it.each<[Partial<PropertyDraft>, string]>([
    [{ feed: 'ruled' }, 'rule: Write the rule'],
    [{ feed: 'ruled', rule: 'Mas + 1' }, 'rule: "Mas" is not a known name'],
    [{ feed: 'ruled', rule: '1 + 1' }, 'rule: The rule gives a number'],
    [{ requiredWhen: '"x"' }, 'requiredWhen: A condition is true or false'],
    [{ allowed: '> 3' }, 'allowed: A text and a number cannot be compared'],
    [{ pattern: '(' }, 'pattern: ( is not a valid pattern'],
    [{ type: 'date', form: { ...newDraft('').form, date: 'YYYY' } }, 'form: "YYYY" is not a date format'],
    [{ type: 'number', unit: 'kg', form: { ...newDraft('').form, unit: 'mm' } }, 'form: kg cannot be shown in mm'],
    [{ type: 'number', unit: 'kg', form: { ...newDraft('').form, number: 'fraction' } }, 'form: Only lengths'],
    [{ type: 'yesno', words: ['ja', 'JA'] }, 'words: Use two different words for yes and no'],
    [{ type: 'yesno', words: ['no', 'maybe'] }, 'words: "no" means no'],
    [{ feed: 'counted' }, 'series: Choose the number series'],
    [{ feed: 'counted', series: 'Other' }, 'series: There is not a number series "Other"'],
    [{ feed: 'model' }, 'modelFact: Choose what is taken'],
    [{ feed: 'model', modelFact: 'mass' }, 'type: The mass of a model is a number'],
    [{ feed: 'sheet', sheetFact: 'scale' }, 'kinds: Only drawings have sheets'],
    [{ feed: 'inherited' }, 'inheritFrom: Choose what'],
    [{ type: 'choice', list: 'Others' }, 'list: There is no choice list "Others"'],
    [{ level: 'occurrence' }, 'level: Only assembly files'],
    [{ homes: { part: { place: 'cell', name: 'MAT' } } }, 'homes: To make a title block cell the home for a part, bind the cell'],
    [{ default: 'x', minLength: 3 }, 'default: The default needs at least 3 characters'],
    [{ overrides: [{ class: 'Bought' }, { class: 'Bought' }] }, 'overrides: The class Bought has two overrides'],
    [{ classes: ['Cast'] }, 'classes: There is no class "Cast"'],
    [{ knownSpellings: ['Material'] }, 'knownSpellings: "Material" is the written name itself'],
    [{ writtenName: 'Weight (kg)' }, 'ruleName: "Weight (kg)" cannot be used as a name in rules. In rules it is called "Weight kg"'],
    [{ writtenName: 'Cost - Net' }, 'ruleName: In rules "Cost - Net" always means this property'],
    [{ ruleName: 'a(b' }, 'ruleName: "a(b" cannot be used as a name in rules'],
  ])('%j', (change, expected) => expect(problems(change).join('\n')).toContain(expected));
  it('without faults has none', () =>
    expect(problems({ type: 'choice', list: 'Materials', requiredWhen: 'Mass > 1' }, [property(2, 'Mass', { type: 'number' })])).toEqual([]));
  it('is pointed at names that look the same', () => {
    // The second contains a Cyrillic a.
    expect(problems({ writtenName: 'M\u0430terial' }, [property(2, 'Material')]).join()).toContain('looks the same, but uses different characters');
    expect(lookAlike('Material', 'Materials')).toBe(false);
    expect(oddLetters('M\u0430ss\u2013x')).toEqual([
      { letter: '\u0430', looksLike: 'a', code: 'U+0430' },
      { letter: '\u2013', looksLike: '-', code: 'U+2013' },
    ]);
  });
});

const held = (values: Readonly<Record<string, string | HeldValue>>): HeldBySlot =>
  new Map(Object.entries(values).map(([name, value]) => [`property/${name}`, typeof value === 'string' ? heldText(value) : value]));
const file = (values: Readonly<Record<string, string | HeldValue>>, change: Partial<FileFacts> = {}): FileFacts => ({
  id: 1,
  kind: 'part',
  className: null,
  state: 'open',
  name: 'drum.step',
  folder: 'parts',
  held: held(values),
  geometry: null,
  model: null,
  parts: [],
  above: {},
  ...change,
});
const standIns = compileStandIns(['-*']);
const ready = (schema: Schema, more: Partial<ConstructorParameters<typeof PreparedSchema>[1]> = {}) =>
  new PreparedSchema(schema, { standIns, states: ['open', 'in check', 'released'], instant: Date.UTC(2026, 10, 25) / 1000, ...more });
const number = (text: string, unit?: string): HeldValue => (unit ? { text, form: 'measure', unit } : { text, form: 'real' });

describe('judging a file', () => {
  const codes = (schema: Schema, facts: FileFacts, id: number) =>
    ready(schema)
      .judge(facts)
      .values.get(id)
      ?.cell.violations.map((violation) => violation.code);
  it.each<[string, Partial<Property>, string, string[]]>([
    ['a pattern over the whole text', { pattern: '[A-Z]{2}\\d+' }, 'DR5x', ['pattern']],
    ['a pattern that fits', { pattern: '[A-Z]{2}\\d+' }, 'DR5', []],
    ['forbidden characters', { forbidden: '/ ' }, 'a/b c', ['forbidden']],
    ['capitals', { letterCase: 'upper' }, 'Ab', ['letter-case']],
    ['allowed values', { allowed: '"A", "B"' }, 'C', ['not-allowed']],
    ['allowed values by another property', { allowed: 'if Kind of part = "x" then ? = "A" else true' }, 'B', ['not-allowed']],
    ['line breaks', {}, 'a\nb', ['line-break']],
    ['line breaks in a long text', { type: 'longtext' }, 'a\nb', []],
    ['own entries', { type: 'choice', choices: ['A'], open: true }, 'C', []],
    ['a closed list', { type: 'choice', choices: ['A'] }, 'C', ['not-a-choice']],
  ])('%s', (_title, change, text, expected) => {
    const schema = schemaOf(property(1, 'Code', change), property(2, 'Kind of part'));
    expect(codes(schema, file({ Code: text, 'Kind of part': 'x' }), 1)).toEqual(expected);
  });
  it('a stand-in is a value where the list of choices has it, also for rules', () => {
    const rule = { feed: 'ruled' as const, rule: 'text(Finish) + "!"' };
    const shown = (choices: string[]) =>
      ready(schemaOf(property(1, 'Finish', { type: 'choice', choices }), property(2, 'Label', rule)))
        .judge(file({ Finish: '-' }))
        .values.get(2)?.derived?.text;
    expect([shown(['-', 'brushed']), shown(['brushed'])]).toEqual(['-!', '!']);
  });
  it('asks for a value by condition, by state and by class', () => {
    const schema = schemaOf(
      property(1, 'Supplier', { requiredWhen: 'Make or buy = "buy"' }),
      property(2, 'Make or buy'),
      property(3, 'Approved by', { requiredFrom: 'in check' }),
      property(4, 'Weld class', { classes: ['Weldment'], required: true }),
      property(5, 'Finish', { overrides: [{ class: 'Weldment', required: true, maxLength: 3 }] }),
    );
    expect(codes(schema, file({ 'Make or buy': 'buy' }), 1)).toEqual(['required']);
    expect(codes(schema, file({ 'Make or buy': 'make' }), 1)).toEqual([]);
    expect(codes(schema, file({}), 3)).toEqual([]);
    expect(codes(schema, file({}, { state: 'released' }), 3)).toEqual(['required']);
    expect(codes(schema, file({}, { state: 'in check' }), 3)).toEqual(['required']);
    expect(codes(schema, file({}, { state: 'open' }), 3)).toEqual([]);
    expect(codes(schema, file({}, { state: null }), 3)).toEqual([]);
    expect(codes(schema, file({}, { state: 'a state of another vault' }), 3)).toEqual([]);
    expect(codes(schema, file({ 'Approved by': 'A. Person' }, { state: 'released' }), 3)).toEqual([]);
    const elsewhere = schemaOf(property(1, 'Approved by', { requiredFrom: 'gone' }));
    expect(codes(elsewhere, file({}, { state: 'gone' }), 1)).toEqual([]);
    expect(codes(schema, file({}), 4)).toBeUndefined();
    expect(codes(schema, file({}, { className: 'Weldment' }), 4)).toEqual(['required']);
    expect(codes(schema, file({}), 5)).toEqual([]);
    expect(codes(schema, file({}, { className: 'Weldment' }), 5)).toEqual(['required']);
    expect(codes(schema, file({ Finish: 'black' }, { className: 'Weldment' }), 5)).toEqual(['too-long']);
  });
  it('lets what is inside a file look at the file, and the file at its project, by plain names', () => {
    const schema: Schema = {
      ...schemaOf(
        property(1, 'Grade'),
        property(2, 'Order', { level: 'project' }),
        property(3, 'Mark', { level: 'body', feed: 'ruled', rule: 'Label + "/" + Grade' }),
        property(4, 'Label', { feed: 'ruled', rule: 'Order + "-" + Grade' }),
        property(5, 'Length', { level: 'body', requiredWhen: 'Grade = "S355"' }),
      ),
      checks: [{ id: 1, title: 'order', severity: 'error', condition: 'Order != null', message: 'has no order', kinds: ['part'], classes: [] }],
    };
    const prepared = ready(schema);
    expect(prepared.problems).toEqual([]);
    expect([...prepared.uses].sort()).toEqual(['', 'project']);
    expect(prepared.dependents().find(({ key }) => key === 4)!.needs).toContainEqual({ group: 'project', property: 2 });
    const part = file({ Grade: 'S355' }, { above: { project: new Map([['Order', heldText('P7')]]) } });
    const holder: HolderFacts = { level: 'body', key: 'b', label: 'tube', held: new Map(), part: null, sheet: null };
    const inside = prepared.judgeHolder(part, holder);
    expect(inside.get(3)!.value).toEqual(heldText('P7-S355/S355'));
    expect(inside.get(5)!.cell.violations.map((violation) => violation.code)).toEqual(['required']);
    expect(
      prepared
        .only(new Set([3]), new Set())
        .judgeHolder(part, holder)
        .get(3)!.value,
    ).toEqual(heldText('P7-S355/S355'));
    expect(prepared.judge(part).failed).toEqual([]);
    // Needs added to a copy stay there, and judgements are equal.
    const copy = prepared.copy();
    copy.need({ uses: [{ group: 'model', name: 'geometry mass' }] });
    expect([copy.uses.has('model'), copy.looksAtName('geometry mass'), prepared.uses.has('model'), prepared.looksAtName('geometry mass')]).toEqual([
      true,
      true,
      false,
      false,
    ]);
    expect(copy.judgeHolder(part, holder)).toEqual(inside);
    expect(prepared.judge(file({ Grade: 'S355' })).failed.map((failed) => failed.check.id)).toEqual([1]);
  });
  it('takes a number for what the model says where rounding makes the difference, and no further', () => {
    const schema = schemaOf(property(1, 'Mass', { type: 'number', unit: 'kg', feed: 'model', modelFact: 'mass' }));
    const geometry = { mass: 10, volume: null, area: null, material: null, density: null, length: null, width: null, height: null };
    const stale = (text: string) => codes(schema, file({ Mass: number(text, 'kg') }, { geometry }), 1)!.includes('stale');
    expect(['10', '10.0049', '9.9951', '10.0051', '9.9949'].map(stale)).toEqual([false, false, false, true, true]);
    const wrong = ready(schema)
      .judge(file({ Mass: number('9', 'kg') }, { geometry }))
      .values.get(1)!;
    expect(wrong.cell.violations).toEqual([{ code: 'stale', message: 'holds "9 kg" but should be "10 kg"' }]);
  });
  it('finds a value under a known spelling and says so', () => {
    const one = ready(schemaOf(property(1, 'Material', { knownSpellings: ['Werkstoff'] })))
      .judge(file({ Werkstoff: 'S235JR' }))
      .values.get(1)!;
    expect(one).toMatchObject({ origin: 'another name', otherName: 'Werkstoff', held: null, value: { text: 'S235JR' } });
    expect(one.cell.violations).toMatchObject([{ code: 'other-name' }]);
    expect(repairFor(one, standIns)).toEqual(heldText('S235JR'));
  });
  it('computes values in the order in which they need each other, and says what a file should hold', () => {
    const schema = schemaOf(
      property(1, 'Label', { feed: 'ruled', rule: 'text(Code) + "!"' }),
      property(2, 'Code', { feed: 'ruled', rule: 'upper case(Part number)' }),
      property(3, 'Part number'),
      property(4, 'Gross', { type: 'number', unit: 'kg', decimals: 2, feed: 'ruled', rule: 'Net * 1.1' }),
      property(5, 'Net', { type: 'number', unit: 'kg' }),
    );
    const { values } = ready(schema).judge(file({ 'Part number': 'dr-5', Code: 'DR-5', Net: number('1', 'kg'), Gross: number('1', 'kg') }));
    expect(values.get(2)!).toMatchObject({ origin: 'ruled', derived: { text: 'DR-5' }, cell: { violations: [] } });
    expect(values.get(1)!).toMatchObject({
      derived: { text: 'DR-5!' },
      cell: { violations: [{ code: 'stale', message: 'is not written yet; it should be "DR-5!"' }] },
    });
    expect(values.get(4)!).toMatchObject({ derived: { text: '1.1', form: 'measure', unit: 'kg' } });
    expect(repairFor(values.get(1)!, standIns)).toEqual(heldText('DR-5!'));
  });
  it('computes nothing in a circle, and shows it', () => {
    const schema = ready(
      schemaOf(
        property(1, 'A', { feed: 'ruled', rule: 'text(B)' }),
        property(2, 'B', { feed: 'ruled', rule: 'text(A)' }),
        property(3, 'C', { feed: 'ruled', rule: '"c"' }),
      ),
    );
    expect(schema.problems.map((problem) => problem.message)).toEqual([
      'The rules depend on each other in a circle: A → B → A.',
      'The rules depend on each other in a circle: A → B → A.',
    ]);
    expect(schema.judge(file({ A: 'x' })).values.get(1)!).toMatchObject({ origin: 'held' });
    expect(schema.judge(file({})).values.get(3)!.derived).toEqual(heldText('c'));
  });
  it('a drawing inherits from the model that it shows; in a part the same property is typed', () => {
    const schema = schemaOf(property(1, 'Material', { kinds: ['part', 'drawing'], feed: 'inherited', inheritFrom: 'model' }));
    const part = file({ Material: 'S235JR' });
    const drawing = file({ Material: 'DC01' }, { id: 2, kind: 'drawing', model: part });
    expect(ready(schema).judge(drawing).values.get(1)!).toMatchObject({
      origin: 'inherited',
      derived: { text: 'S235JR' },
      cell: { violations: [{ code: 'stale' }] },
    });
    expect(ready(schema).judge(part).values.get(1)!).toMatchObject({ origin: 'held' });
    const over = schemaOf({ ...schema.properties[0]!, mayOverride: true });
    expect(ready(over).judge(drawing).values.get(1)!).toMatchObject({ origin: 'held', value: { text: 'DC01' } });
  });
  it('takes values from projects, models and the parts of an assembly', () => {
    const schema = schemaOf(
      property(1, 'Customer', { kinds: ['part'], feed: 'inherited', inheritFrom: 'project' }),
      property(2, 'Mass', { kinds: ['part'], type: 'number', unit: 'lb', decimals: 2, feed: 'model', modelFact: 'mass' }),
      property(3, 'Total', { kinds: ['assembly'], type: 'number', unit: 'lb', feed: 'ruled', rule: 'sum(for p in parts return p.Mass * p.quantity)' }),
      property(4, 'Where', { kinds: ['part'], feed: 'ruled', rule: 'file.folder + "/" + file.name' }),
    );
    const geometry = { mass: 2, volume: 1, area: 1, material: null, density: null, length: null, width: null, height: null };
    const part = file({ Mass: number('1.5', 'lb') }, { geometry, above: { project: new Map([['Customer', heldText('Ostrelle')]]) } });
    const { values } = ready(schema).judge(part);
    expect(values.get(1)!.derived).toEqual(heldText('Ostrelle'));
    // NIST SP 811: 2 kg = 4.409 245 lb.
    expect(values.get(2)!.derived).toEqual(number('4.41', 'lb'));
    expect(values.get(4)!.derived).toEqual(heldText('parts/drum.step'));
    const assembly = file({}, { kind: 'assembly', parts: [{ file: part, quantity: 4 }] });
    expect(ready(schema).judge(assembly).values.get(3)!.derived).toEqual(number('6', 'lb'));
  });
  it('checks across properties', () => {
    const check: Check = {
      id: 7,
      title: 'Mass',
      severity: 'warning',
      kinds: ['part'],
      classes: [],
      condition: 'abs(Mass - file.geometry mass) <= 0.02 * file.geometry mass',
      message: 'The mass is off.',
    };
    const schema = { ...schemaOf(property(1, 'Mass', { type: 'number', unit: 'kg' })), checks: [check] };
    const geometry = { mass: 2, volume: null, area: null, material: null, density: null, length: null, width: null, height: null };
    const failed = (mass: string, shaped = true) =>
      ready(schema)
        .judge(file({ Mass: number(mass, 'kg') }, shaped ? { geometry } : {}))
        .failed.map((entry) => entry.message);
    expect([failed('2.03'), failed('2.05'), failed('9', false)]).toEqual([[], ['The mass is off.'], []]);
  });
  it('narrows choices by another property', () => {
    const list: ChoiceListDraft = {
      name: 'Finishes',
      columns: ['for'],
      goesWith: 'for',
      choices: [
        { value: 'zinc', columns: { for: 'S235JR; DC01' }, retired: false, replacedBy: null },
        { value: 'polished', columns: { for: '1.4301' }, retired: false, replacedBy: null },
        { value: 'none', columns: {}, retired: false, replacedBy: null },
      ],
    };
    const schema = schemaOf(
      property(1, 'Finish', { type: 'choice', list: 'Finishes', choices: ['zinc', 'polished', 'none'], narrowedBy: 'Material' }),
      property(2, 'Material'),
    );
    const judged = (finish: string) =>
      ready(schema, { narrowed: (_list, by) => choicesFor(list, by) })
        .judge(file({ Finish: finish, Material: 'S235JR' }))
        .values.get(1)!
        .cell.violations.map((violation) => violation.message);
    expect([judged('zinc'), judged('none'), judged('polished')]).toEqual([[], [], ['"polished" does not go with Material S235JR']]);
  });
  it('mends what is plain, and leaves the rest to people', () => {
    const repair = (change: Partial<Property>, text: string | null) =>
      repairFor(
        ready(schemaOf(property(1, 'X', change)))
          .judge(file(text === null ? {} : { X: text }))
          .values.get(1)!,
        standIns,
      );
    expect(repair({ letterCase: 'upper' }, 'ab')).toEqual(heldText('AB'));
    expect(repair({}, ' ab ')).toEqual(heldText('ab'));
    expect(repair({ type: 'choice', choices: ['Zinc plated'] }, 'zinc  PLATED')).toEqual(heldText('Zinc plated'));
    expect(repair({ required: true, default: 'std' }, null)).toEqual(heldText('std'));
    expect(repair({ required: true }, null)).toBeUndefined();
    expect(repair({ maxLength: 1 }, 'abc')).toBeUndefined();
    expect(repair({}, 'fine')).toBeUndefined();
  });
});

describe('judging only what differs', () => {
  const rule = fc.constantFrom('upper case(A)', 'text(B) + text(C)', 'text(D)', '"fixed"', 'if is blank(A) then B else C');
  const definition = fc.record({
    a: fc.constantFrom(3, 5),
    rule,
    when: fc.constantFrom('', 'A = "xx"', 'is blank(E)'),
    allowed: fc.constantFrom('', '"x", "xx"', 'not(B)'),
    check: fc.constantFrom('A != B', 'is blank(D)'),
  });
  const law = ({ a, rule: text, when, allowed, check }: { a: number; rule: string; when: string; allowed: string; check: string }): Schema => ({
    ...schemaOf(
      property(1, 'A', { maxLength: a }),
      property(2, 'B', { requiredWhen: when }),
      property(3, 'C', { allowed }),
      property(4, 'D', { feed: 'ruled', rule: text === 'text(D)' ? '"d"' : text }),
      property(5, 'E', { feed: 'ruled', rule: 'text(D) + "!"' }),
      property(6, 'F', { maxLength: 2 }),
    ),
    checks: [{ id: 1, title: 'one', severity: 'error', kinds: ['part'], classes: [], condition: check, message: 'no' }],
  });
  const content = fc.dictionary(fc.constantFrom('A', 'B', 'C', 'D', 'F'), fc.constantFrom('x', 'xx', 'xxxx'));
  it('comes to the same as judging all, and what is left out is the same in both', () => {
    fc.assert(
      fc.property(definition, definition, content, (one, other, values) => {
        const [before, after] = [ready(law(one)), ready(law(other))];
        const { properties, checks } = differing(before, after);
        const facts = file(values);
        for (const full of [before, after]) {
          const [all, some] = [full.judge(facts), full.only(properties, checks).judge(facts)];
          for (const id of properties) expect(some.values.get(id)).toEqual(all.values.get(id));
          for (const id of some.values.keys()) expect(properties.has(id)).toBe(true);
          expect(some.failed).toEqual(all.failed.filter((failed) => checks.has(failed.check.id)));
        }
        const [was, is] = [before.judge(facts), after.judge(facts)];
        for (const [id, judged] of is.values) if (!properties.has(id)) expect(judged).toEqual(was.values.get(id));
        if (checks.size === 0) expect(is.failed).toEqual(was.failed);
      }),
      { numRuns: 400 },
    );
  });
  it('leaves alone what nothing leads to', () => {
    const [before, after] = [
      ready(law({ a: 3, rule: 'upper case(A)', when: '', allowed: '', check: 'A != B' })),
      ready(law({ a: 5, rule: 'upper case(A)', when: '', allowed: '', check: 'A != B' })),
    ];
    expect([...differing(before, after).properties].sort()).toEqual([1, 4, 5]);
  });
});

describe('who may change a value', () => {
  const ask = (change: Partial<Property>, role: 'viewer' | 'checker' | 'editor' | 'administrator', more: { className?: string; state?: string } = {}) =>
    whyNotChanged(property(1, 'X', change), { role, kind: 'part', className: more.className ?? null, state: more.state ?? null });
  it('depends on feed, role, class and state', () => {
    expect(ask({}, 'editor')).toBeNull();
    expect(ask({}, 'checker')).toBe('cannot be changed by checkers');
    expect(ask({ mayChange: { role: 'administrator', states: [], closedClasses: [] } }, 'editor')).toBe('can be changed only by administrators');
    const closed = { mayChange: { role: 'editor' as const, states: ['open'], closedClasses: ['Bought'] } };
    expect(ask(closed, 'editor', { className: 'Bought' })).toBe('can be changed only by administrators in files of class Bought');
    expect(ask(closed, 'administrator', { className: 'Bought' })).toBeNull();
    expect(ask(closed, 'administrator', { state: 'released' })).toBe('can be changed only in state open; the file is released');
    expect(ask({ system: true }, 'administrator')).toBe('belongs to another program and is read-only');
    for (const feed of ['file', 'model', 'sheet', 'counted', 'ruled'] as const) expect(ask({ feed }, 'administrator')).not.toBeNull();
  });
});

describe('a choice list', () => {
  const list: ChoiceListDraft = {
    name: 'Materials',
    columns: ['density'],
    goesWith: null,
    choices: [
      { value: 'S235JR', columns: { density: '7850' }, retired: false, replacedBy: null },
      { value: 'St37', columns: { density: '7850' }, retired: true, replacedBy: 'S235JR' },
      { value: 'DC01', columns: { density: '7850' }, retired: false, replacedBy: null },
    ],
  };
  it('compares itself with its source: nothing is dropped', () => {
    const found = compareList(list, {
      header: ['name', 'density', 'short'],
      rows: [
        ['S235JR', '7850', 'S'],
        ['1.4301', '7900', 'X'],
        ['St37', '7850', ''],
        ['', '1', ''],
      ],
    });
    expect(found).toMatchObject({
      added: [{ value: '1.4301' }],
      changed: [{ value: 'S235JR', column: 'short', before: '', after: 'S' }],
      gone: ['DC01'],
      back: ['St37'],
    });
    expect(found.result.choices.map(({ value, retired }) => [value, retired])).toEqual([
      ['S235JR', false],
      ['1.4301', false],
      ['St37', false],
      ['DC01', true],
    ]);
    expect(
      compareList(found.result, {
        header: ['name', 'density', 'short'],
        rows: [
          ['S235JR', '7850', 'S'],
          ['1.4301', '7900', 'X'],
          ['St37', '7850', ''],
        ],
      }),
    ).toMatchObject({ added: [], changed: [], gone: [], back: [], same: 3 });
  });
  it('knows columns of retired values too', () => expect([choiceColumn(list, 'St37', 'density'), choiceColumn(list, 'x', 'density')]).toEqual(['7850', null]));
  it('refuses repeated, blank and dangling rows', () => {
    const choice = (value: string, change = {}) => ({ value, columns: {}, retired: false, replacedBy: null, ...change });
    expect(
      checkList({
        ...list,
        choices: [choice('a'), choice('A '), choice(''), choice('b', { replacedBy: 'a' }), choice('c', { retired: true, replacedBy: 'zz' })],
      }).map((problem) => problem.row),
    ).toEqual([2, 2, 3, 4, 5]);
    expect(checkList({ ...list, columns: ['a', 'a'], goesWith: 'x' })).toHaveLength(2);
  });
});

describe('a number series', () => {
  const series = {
    ...newSeries('Parts'),
    parts: [
      { type: 'text' as const, text: 'DR' },
      { type: 'value' as const, property: 'Size' },
      { type: 'text' as const, text: '-' },
      { type: 'count' as const },
      { type: 'text' as const, text: '/x' },
    ],
    digits: 3,
  };
  it('is made of texts, values and a count', () => {
    const frame = frameOf(series, new Map([['Size', '15']]));
    expect(frame).toEqual({ ok: true, before: 'DR15-', after: '/x' });
    expect(frameOf(series, new Map())).toMatchObject({ ok: false });
    expect(countIn(series, { before: 'DR15-', after: '/x' }, 'DR15-007/x')).toBe(7);
    for (const other of ['DR15-07/x', 'DR15-0007/x', 'DR5-007/x', 'DR15-/x', 'DR15-abc/x'])
      expect(countIn(series, { before: 'DR15-', after: '/x' }, other)).toBeNull();
  });
  it('counts in letters without those left out, and back', () => {
    expect(Array.from({ length: 22 }, (_, i) => lettersOf(i + 1, LETTERS_LEFT_OUT)).join(' ')).toBe('A B C D E F G H J K L M N P R T U V W Y AA AB');
    fc.assert(
      fc.property(fc.integer({ min: 1, max: 1_000_000 }), fc.constantFrom('', 'IO', LETTERS_LEFT_OUT), (count, leftOut) =>
        expect(countOfLetters(lettersOf(count, leftOut), leftOut)).toBe(count),
      ),
    );
    expect(countOfLetters('AI', LETTERS_LEFT_OUT)).toBeNull();
  });
  it('counts up by its step, each number once', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 50 }), fc.integer({ min: 1, max: 20 }), fc.integer({ min: 1, max: 6 }), (start, step, digits) => {
        const own = { ...series, start, step, digits };
        const texts: string[] = [];
        let last: number | null = null;
        for (let i = 0; i < 50; i++) texts.push(countText(own, (last = nextCount(own, last))));
        expect(new Set(texts).size).toBe(50);
        expect(texts[0]).toBe(String(start).padStart(digits, '0'));
      }),
    );
  });
  it('goes from revision to revision', () => {
    const letters = { ...newSeries('Revisions'), counts: 'letters' as const };
    const bare = { before: '', after: '' };
    expect(['', 'H', 'Y', 'I'].map((current) => nextRevision(letters, bare, current))).toEqual(['A', 'J', 'AA', null]);
    expect(nextRevision({ ...newSeries('n'), digits: 2 }, bare, '09')).toBe('10');
    expect(
      ['', 'R5', '5', 'R05'].map((current) => nextRevision({ ...newSeries('n'), digits: 1, start: 0, step: 5 }, { before: 'R', after: '' }, current)),
    ).toEqual(['R0', 'R10', null, null]);
  });
  it('refuses to be defined without a count', () => {
    expect(checkSeries(series)).toEqual([]);
    expect(checkSeries({ ...series, name: '', parts: [], step: 0, digits: 0, start: -1 })).toHaveLength(5);
  });
});

describe('examples of a rule', () => {
  const others = [property(1, 'Part number'), property(2, 'Revision'), property(3, 'Material')];
  const draft = { ...newDraft('Label'), feed: 'ruled' as const, rule: 'text(Part number) + "-" + coalesce(Revision, "0") + text(model.Material)' };
  it('pass, fail and say why', () => {
    const run = (given: Record<string, string>, expected: string) => runExample(draft, { title: 'x', given, expected }, others);
    expect(run({ 'Part number': 'DR', Revision: '' }, 'DR-0')).toEqual({ passes: true, found: 'DR-0', problem: null });
    expect(run({ 'Part number': 'DR', Revision: 'B', 'model.Material': ' DC01' }, 'x')).toEqual({ passes: false, found: 'DR-B DC01', problem: null });
    expect(run({ Nothing: 'x' }, '').problem).toBe('There is no property "Nothing".');
    expect(runExample({ ...draft, rule: 'Part numbr' }, { title: '', given: {}, expected: '' }, others).problem).toContain('Did you mean');
    const sum = { ...newDraft('Sum'), type: 'number' as const, decimals: 1, feed: 'ruled' as const, rule: 'Length / 3' };
    expect(runExample(sum, { title: '', given: { Length: '10' }, expected: '3.3' }, [property(1, 'Length', { type: 'number' })])).toEqual({
      passes: true,
      found: '3.3',
      problem: null,
    });
  });
});

describe('names that a rule reads', () => {
  const others = [property(1, 'Part number', { ruleName: 'number' }), property(2, 'Revision'), property(3, 'Material'), property(4, 'Part')];
  const read = (rule: string) => [...namesRead({ ...newDraft('Label'), feed: 'ruled', rule }, others)].sort();
  it('are written names, in groups where the rule looks there', () => {
    expect(read('number + Revision + text(model.Material)')).toEqual(['Part number', 'Revision', 'model.Material']);
    expect(read('"Part number" + Revision')).toEqual(['Revision']);
    expect(read('Revision +')).toEqual([]);
    expect(read('if count(parts.Material) > 0 then Revision else null')).toEqual(['Revision']);
  });
});

describe('a schema on its way', () => {
  const schema: Schema = {
    ...schemaOf(
      property(1, 'Part number', { required: true, maxLength: 16, knownSpellings: ['PartNo'] }),
      property(2, 'Mass', { kinds: ['part', 'assembly'], type: 'number', unit: 'kg', decimals: 3, min: 0, feed: 'model', modelFact: 'mass' }),
      property(3, 'Material', { type: 'choice', choices: ['S235JR', 'DC01'] }),
      property(4, 'Label', { feed: 'ruled', rule: 'upper case(Part number)', help: 'a <b> & "c"' }),
      property(5, 'Old', { retired: true }),
    ),
    checks: [{ id: 1, title: 'One', severity: 'error', kinds: ['part'], classes: [], condition: 'Mass < 1', message: 'No' }],
  };
  it('is a JSON Schema (draft 2020-12) for the values of each kind', () => {
    const json = toJsonSchema(schema, 'Test') as { $schema: string; $defs: Record<string, { required: string[]; properties: Record<string, object> }> };
    expect(json.$schema).toBe('https://json-schema.org/draft/2020-12/schema');
    expect(json.$defs['part']!.required).toEqual(['Part number']);
    expect(json.$defs['part']!.properties).toMatchObject({
      'Part number': { type: 'string', maxLength: 16 },
      Mass: { type: 'number', minimum: 0, readOnly: true },
      Material: { enum: ['S235JR', 'DC01'] },
    });
    expect(Object.keys(json.$defs['assembly']!.properties)).toEqual(['Mass']);
  });
  it('is a table that comes back unchanged', () => {
    const { properties, problems } = readSchemaTable(schemaTable(schema), schema);
    expect(problems).toEqual([]);
    expect(properties).toEqual(schema.properties.map((entry) => ({ ...draftOf(entry), retired: entry.retired })));
  });
  it('says every change of a table, columns in any order, and what it cannot read', () => {
    const table = [
      ['Type', 'Written name', 'Longest', 'Kinds', 'Known spellings', 'Comes from', 'Colour'],
      ['text', 'Part number', '20', 'part, drawing', 'PartNo', 'typed', ''],
      ['date', 'Material', 'long', 'planet', '', 'sky', ''],
      ['yesno', 'Food contact', '', '', '', '', ''],
      ['', '', '', '', '', '', ''],
    ];
    const { properties, problems } = readSchemaTable(table, schema);
    expect(properties).toMatchObject([
      { writtenName: 'Part number', maxLength: 20, kinds: ['part', 'drawing'] },
      { writtenName: 'Material', type: 'date' },
      { writtenName: 'Food contact', type: 'yesno', kinds: ['part'] },
    ]);
    expect(problems.map(({ row, column }) => [row, column])).toEqual([
      [1, 'Colour'],
      [3, 'Kinds'],
      [3, 'Comes from'],
      [3, 'Longest'],
    ]);
    const again = readSchemaTable(
      [
        ['Written name', 'Known spellings'],
        ['Part no', 'Part number'],
      ],
      schema,
    );
    expect(again.properties[0]).toMatchObject({ writtenName: 'Part no', maxLength: 16, knownSpellings: ['Part number'] });
  });
  it('is a page that holds no markup of its values', () => {
    const page = schemaPage(schema, { company: 'A & B', edition: 'edition 2', date: '2026-11-25' });
    expect(page).toContain('a &lt;b&gt; &amp; &quot;c&quot;');
    expect(page).toContain('A &amp; B');
    expect(page).not.toContain('Old</b>');
  });
});
