import { describe, expect, it } from '@jest/globals';
import { compareSchemas, newDraft } from '@rule/core/schema';
import { complete } from '../rule-field';
import { CompletionContext } from '@codemirror/autocomplete';
import { EditorState } from '@codemirror/state';
import { ruleScope } from '@rule/core/schema';
import { fieldWords, inWords } from './editions';
import { fitOf } from './impact';

const value = (text: string, files: number, more = {}) => ({ text, form: 'text' as const, unit: null, files, standIn: false, ...more });

describe('what stands in files, judged by a definition', () => {
  it('fits, does not, or only stands in', () => {
    const draft = { ...newDraft('Material'), type: 'choice' as const, choices: ['S235JR', '-'] };
    const values = [value('S235JR', 12), value('S235 JR', 2), value('Ash', 3), value('--', 4), value('-', 1), value('', 9)];
    expect(fitOf(values, draft, ['-*'])).toEqual({
      fits: 13,
      wrong: 5,
      standIns: 4,
      misfits: [
        { text: 'Ash', files: 3, message: '"Ash" is not among the choices' },
        { text: 'S235 JR', files: 2, message: '"S235 JR" is another spelling of S235JR' },
      ],
    });
  });
  it('is judged in the unit of the definition', () => {
    const draft = { ...newDraft('Mass'), type: 'number' as const, unit: 'kg', max: 1 };
    const values = [value('2', 5, { form: 'measure', unit: 'lb' }), value('3', 1, { form: 'measure', unit: 'lb' }), value('heavy', 1)];
    expect(fitOf(values, draft, [])).toMatchObject({ fits: 5, wrong: 2, misfits: [{ text: '3 lb' }, { text: 'heavy' }] });
  });
});

describe('completion in a rule', () => {
  const properties = [
    { ...newDraft('Part number'), id: 1, retired: false, caption: 'Number' },
    { ...newDraft('Mass'), id: 2, retired: false, type: 'number' as const },
  ];
  const { names, captions } = ruleScope(properties, { clock: false });
  const offered = (text: string, explicit = false) =>
    complete(new CompletionContext(EditorState.create({ doc: text }), text.length, explicit), names, captions ?? {});
  it('offers names with their captions, groups and functions', () => {
    const all = offered('Pa')!;
    expect(all.from).toBe(0);
    expect(all.options.find((option) => option.label === 'Part number')).toMatchObject({ detail: 'Number, text' });
    expect(all.options.map((option) => option.label)).toEqual(expect.arrayContaining(['model', 'parts', 'upper case']));
  });
  it('offers what a group holds behind a full stop', () => {
    const inside = offered('1 + model.Ma')!;
    expect(inside.from).toBe('1 + model.'.length);
    expect(inside.options.map((option) => option.label)).toEqual(['Part number', 'Mass', 'geometry mass', 'geometry volume', 'geometry material']);
    expect(offered('parts.')!.options.map((option) => option.label)).toContain('quantity');
  });
  it('stays silent where nothing is written, unless it is asked', () => {
    expect(offered('1 + ')).toBeNull();
    expect(offered('1 + ', true)!.options.length).toBeGreaterThan(50);
  });
});

describe('differences in words', () => {
  it('name the field and say both sides', () => {
    const before = { ...newDraft('Mass'), id: 1, retired: false };
    const [change] = compareSchemas(
      { properties: [before], checks: [], forms: [], strangers: {} as never, bindings: [], links: [] },
      { properties: [{ ...before, maxLength: 3, kinds: ['part', 'drawing'] }], checks: [], forms: [], strangers: {} as never, bindings: [], links: [] },
    );
    expect(change).toMatchObject({ type: 'property changed', fields: [{ field: 'kinds' }, { field: 'maxLength' }] });
    expect([fieldWords('maxLength'), inWords(null), inWords(true), inWords(['part', 'drawing']), inWords([]), inWords({ a: 1 })]).toEqual([
      'max length',
      'nothing',
      'yes',
      'part, drawing',
      'nothing',
      'a: 1',
    ]);
  });
});
