import { describe, expect, it } from '@jest/globals';
import fc from 'fast-check';
import { NamedFile, NamingRule, collisions, illegal, nameFor, namingFor, prepareNaming } from '../src/naming';
import { EMPTY_SCHEMA, FileFacts, PreparedSchema, Property, newDraft, slotKey } from '../src/schema';
import { compileStandIns, heldText } from '../src/values';

const property = (id: number, writtenName: string): Property => ({ ...newDraft(writtenName), id, retired: false });
const schema = new PreparedSchema(
  { ...EMPTY_SCHEMA, properties: [property(1, 'Part number'), property(2, 'Revision')] },
  { standIns: compileStandIns([]), states: [], instant: 0 },
);
const rule = (text: string, more: Partial<NamingRule> = {}): NamingRule => ({ kinds: ['part'], classes: [], rule: text, mode: 'rename', folder: '', ...more });
const file = (name: string, values: Record<string, string>): FileFacts => ({
  id: 1,
  kind: 'part',
  className: null,
  state: null,
  name,
  folder: 'parts',
  held: new Map(Object.entries(values).map(([key, text]) => [slotKey('property', key), heldText(text)])),
  geometry: null,
  model: null,
  parts: [],
  above: {},
});
const named = (text: string, values: Record<string, string>, name = 'old.step') => nameFor(file(name, values), prepareNaming([rule(text)], schema)[0]!, schema);

describe('the name of a file', () => {
  it('comes from its values, and keeps its ending', () => {
    expect(named('Part number + "_" + Revision', { 'Part number': 'DR15-101', Revision: 'B' })).toEqual({ name: 'DR15-101_B.step', problem: null });
    expect(named('Part number', { 'Part number': 'x' }, 'no-ending')).toEqual({ name: 'x', problem: null });
  });
  it.each([
    ['Part number + "-" + Revision', { Revision: 'B' }, /has no result/],
    ['Part number', { 'Part number': 'a/b' }, /holds \/; file names cannot contain this/],
    ['Part number', { 'Part number': 'a.' }, /full stop/],
    ['Part number', { 'Part number': 'CON' }, /device/],
    ['Part number', { 'Part number': 'x'.repeat(300) }, /255 bytes/],
    ['Part nmber', { 'Part number': 'x' }, /Part number/],
    ['1 + 1', {}, /must be text/],
  ])('%s of %j cannot be given', (text, values, problem) => expect(named(text, values as Record<string, string>).problem).toMatch(problem));
  it('follows the rule for its class before the one for all', () => {
    const rules = [rule('"a"'), rule('"b"', { classes: ['Bought'] })].map((entry) => ({ rule: entry }));
    expect(namingFor(rules, 'part', 'Bought')!.rule.rule).toBe('"b"');
    expect(namingFor(rules, 'part', null)!.rule.rule).toBe('"a"');
    expect(namingFor(rules, 'drawing', null)).toBeNull();
  });
  it('may be any that every common system takes', () => {
    for (const name of ['Drum, 15 kg.step', 'é-ø_1 (2).dxf', 'a.b.step']) expect(illegal(name)).toBeNull();
    for (const name of ['a:b.step', '.hidden', 'x .step', 'nul.step', 'a\u0007.step']) expect(illegal(name)).not.toBeNull();
  });
});

describe('collisions', () => {
  const at = (id: number, name: string, wanted: string | null, more: Partial<NamedFile> = {}): NamedFile => ({
    id,
    folder: '1:parts',
    name,
    wanted,
    leaves: true,
    into: '1:parts',
    ...more,
  });
  const found = (files: NamedFile[], others: string[] = []) => [...collisions(files, new Map([['1:parts', new Set(others)]])).keys()];
  it('are two files that want one name, also where only the case differs', () => {
    expect(found([at(1, 'a', 'x'), at(2, 'b', 'X')])).toEqual([1, 2]);
  });
  it('are names that stand there already, of files that stay', () => {
    expect(found([at(1, 'a', 'b'), at(2, 'b', null)])).toEqual([1]);
    expect(found([at(1, 'a', 'taken')], ['Taken'])).toEqual([1]);
    expect(found([at(1, 'a', 'b', { leaves: false }), at(2, 'b', null)])).toEqual([1]);
  });
  it('are no files that change places, go round, or only change their case', () => {
    expect(found([at(1, 'a', 'b'), at(2, 'b', 'a')])).toEqual([]);
    expect(found([at(1, 'a', 'b'), at(2, 'b', 'c'), at(3, 'c', 'a')])).toEqual([]);
    expect(found([at(1, 'a', 'A')])).toEqual([]);
  });
  it('leave no two files of one name when they are kept out', () => {
    const name = fc.constantFrom('a', 'b', 'c', 'd');
    fc.assert(
      fc.property(fc.uniqueArray(fc.tuple(name, name), { selector: ([own]) => own, maxLength: 4 }), (list) => {
        const files = list.map(([own, wanted], i) => at(i + 1, own, wanted));
        const barred = collisions(files, new Map());
        // A file keeping its name for another reason may block a third: the rest is rechecked.
        const again = collisions(
          files.map((entry) => (barred.has(entry.id) ? { ...entry, wanted: null } : entry)),
          new Map(),
        );
        const names = files.map((entry) => (barred.has(entry.id) || again.has(entry.id) ? entry.name : entry.wanted!));
        if (again.size === 0) expect(new Set(names).size).toBe(names.length);
      }),
    );
  });
});
