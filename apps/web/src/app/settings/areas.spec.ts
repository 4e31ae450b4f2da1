import { describe, expect, it } from '@jest/globals';
import { Settings } from '@rule/contract';
import { AREAS, readArea, textsOf } from './areas';

describe('settings that are lists', () => {
  const settings: Settings = {
    company: 'X',
    workflowStates: ['open', 'released'],
    standIns: ['-*', 'TBD'],
    modelProperty: 'Model',
    massProperty: 'Mass',
    materialProperty: 'Material',
    densities: [{ material: '1.4301', density: 7900 }],
    abbreviations: [{ short: 'matl', long: 'material' }],
    synonyms: [
      ['stainless', 'inox'],
      ['a', 'b', 'c'],
    ],
  };
  it('are read as they are written', () => {
    const texts = textsOf(settings);
    for (const { key } of AREAS) expect(readArea(key, texts[key])).toEqual({ [key]: settings[key] });
  });
  it('name the line that cannot be read', () => {
    expect(readArea('densities', '1.4301 = heavy')).toEqual({ problem: 'The density of 1.4301 is not a number between 0 and 100000.' });
    expect(readArea('densities', '1.4301')).toEqual({ problem: '“1.4301” is not of the form: one = other.' });
    expect(readArea('abbreviations', 'matl =')).toEqual({ problem: '“matl =” is not of the form: one = other.' });
    expect(readArea('synonyms', 'alone;')).toEqual({ problem: '“alone” is alone: a group needs at least two values.' });
    expect(readArea('workflowStates', 'open\nreleased\nopen')).toEqual({ problem: '“open” stands twice.' });
    expect(readArea('densities', 'steel = 7,85')).toEqual({ densities: [{ material: 'steel', density: 7.85 }] });
  });
});
