import { describe, expect, it } from '@jest/globals';
import { newDraft } from '@rule/core/schema';
import { kindsFrom, tidy } from './draft';

describe('a draft', () => {
  it('is saved without what does not go with its type', () => {
    const draft = {
      ...newDraft('Mass'),
      type: 'text' as const,
      unit: 'kg',
      decimals: 2,
      min: 0,
      max: 9,
      choices: ['a'],
      minLength: 2,
      maxLength: 5,
      fileField: 'author' as const,
    };
    expect(tidy(draft)).toMatchObject({ unit: null, decimals: null, min: null, max: null, choices: [], minLength: 2, maxLength: 5, fileField: null });
    expect(tidy({ ...draft, type: 'number' })).toMatchObject({ unit: 'kg', decimals: 2, min: 0, max: 9, choices: [], minLength: null });
    expect(tidy({ ...draft, type: 'whole' })).toMatchObject({ unit: null, decimals: null, min: 0, max: 9 });
    expect(tidy({ ...draft, type: 'choice' })).toMatchObject({ choices: ['a'], maxLength: 5, unit: null });
    expect(tidy({ ...draft, type: 'choice', list: 'Materials', narrowedBy: 'Kind' })).toMatchObject({ choices: [], list: 'Materials', narrowedBy: 'Kind' });
    expect(tidy({ ...draft, feed: 'file' }).fileField).toBe('author');
    expect(tidy({ ...draft, feed: 'ruled', rule: '1', series: 'Parts' })).toMatchObject({ rule: '1', series: null, fileField: null });
    expect(tidy({ ...draft, feed: 'typed', rule: '1' }).rule).toBe('');
    expect(tidy({ ...draft, type: 'number', unit: '' }).unit).toBeNull();
  });
  it('takes its kinds from an address only where they are kinds', () => expect(kindsFrom('drawing,part,song')).toEqual(['part', 'drawing']));
});
