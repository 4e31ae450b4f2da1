import { describe, expect, it } from '@jest/globals';
import { PLAIN_CELL, Property, newDraft } from '../src/schema';
import { CellLearner, CellObservation } from '../src/titleblocks';
import { DEFAULT_STAND_INS, HeldValue, compileStandIns, heldText } from '../src/values';

const properties: Property[] = [
  { ...newDraft('Description'), id: 1, retired: false },
  { ...newDraft('Material'), id: 2, retired: false },
  { ...newDraft('Mass'), id: 3, retired: false, type: 'number', unit: 'kg', decimals: 2 },
];
const standIns = compileStandIns(DEFAULT_STAND_INS);
const observe = (
  drawing: number,
  tag: string,
  text: string,
  model: Readonly<Record<number, HeldValue>>,
  own: Readonly<Record<number, HeldValue>> = {},
): CellObservation => ({
  drawing,
  holder: `insert:${drawing}`,
  block: 'B',
  tag,
  text,
  values: { drawing: own, model },
});
const learner = (...cells: CellObservation[]) => {
  const made = new CellLearner(properties, standIns);
  for (const cell of cells) made.observe(cell);
  return made;
};

describe('learning what title block cells show', () => {
  it('finds property, source and letter case, with the evidence', () => {
    const cells = ['plate', 'drum', 'shaft', 'leg'].map((text, i) =>
      observe(i, 'TITLE', text.toUpperCase(), { 1: heldText(text) }, { 1: heldText('something else') }),
    );
    expect(learner(...cells).learned()).toEqual([
      { block: 'B', tag: 'TITLE', propertyId: 1, source: 'model', form: { letters: 'capitals', unit: false }, agree: 4, compared: 4, texts: 4 },
    ]);
  });

  it('tells a value with its unit from one without', () => {
    const cells = [1, 2, 3].map((n) => observe(n, 'MASS', `${n}.50 kg`, { 3: { text: `${n}.5`, form: 'measure', unit: 'kg' } }));
    expect(learner(...cells).learned()[0]).toMatchObject({ propertyId: 3, form: { unit: true } });
  });

  it('keeps the binding in force between equals, and stays silent where little speaks for any', () => {
    const cells = ['a', 'b'].map((text, i) => observe(i, 'T', text, { 1: heldText(text) }, { 1: heldText(text) }));
    expect(learner(...cells).learned()[0]).toMatchObject({ source: 'drawing' });
    // Even if the model was encountered first.
    const late = [
      observe(1, 'T', 'a', { 1: heldText('a') }),
      observe(2, 'T', 'b', {}, { 1: heldText('b') }),
      observe(3, 'T', 'c', { 1: heldText('c') }, { 1: heldText('c') }),
    ];
    expect(learner(...late).learned()[0]).toMatchObject({ source: 'drawing', agree: 2 });
    expect(
      learner(...cells).learned([{ id: 1, block: 'b', cell: 'T', leads: false, shows: [{ property: 1, from: 'model', form: PLAIN_CELL }] }])[0],
    ).toMatchObject({ source: 'model' });
    expect(learner(observe(1, 'T', 'a', { 1: heldText('a') })).learned()).toEqual([]);
    expect(learner(...[1, 2, 3, 4, 5].map((n) => observe(n, 'T', n < 3 ? 'x' : 'y', { 1: heldText('x') }))).learned()).toEqual([]);
  });

  it('names why a cell does not show what it should', () => {
    const made = learner();
    const binding = { block: 'B', tag: 'MATL', propertyId: 2, source: 'model', form: PLAIN_CELL } as const;
    const reason = (text: string, held: string | null) => made.exception(binding, observe(1, 'MATL', text, held === null ? {} : { 2: heldText(held) }));
    expect(reason('S235JR', 'S235JR')).toBeNull();
    expect(reason('', 'S235JR')).toEqual({ reason: 'blank', wanted: 'S235JR' });
    expect(reason('---', 'S235JR')).toEqual({ reason: 'blank', wanted: 'S235JR' });
    expect(reason('s 235 JR', 'S235JR')).toEqual({ reason: 'retyped', wanted: 'S235JR' });
    expect(reason('DC01', 'S235JR')).toEqual({ reason: 'stale', wanted: 'S235JR' });
    expect(reason('DC01', null)).toEqual({ reason: 'retyped', wanted: '' });
    expect(reason('', null)).toBeNull();
    expect(made.exception(binding, { ...observe(1, 'MATL', 'x', {}), values: { drawing: {}, model: null } })).toBeNull();
  });
});
