import { FeelType, FeelValue, RuleScope, contextType, listOf, plain, readDate } from '../rules';
import { TypedValue } from '../values';
import { Property, ruleNameOf } from './property';

/** A property's type in rules; values may be blank. */
export function feelType(property: Pick<Property, 'type'>): FeelType {
  switch (property.type) {
    case 'whole':
    case 'number':
      return plain('number', true);
    case 'yesno':
      return plain('boolean', true);
    case 'date':
      return plain('date', true);
    default:
      return plain('string', true);
  }
}

/** A value as rules see it. */
export const feelValue = (value: TypedValue, property: Pick<Property, 'type'>): FeelValue => (property.type === 'date' ? readDate(String(value)) : value);

/** File facts available to rules. */
const FILE_TYPE: Readonly<Record<string, FeelType>> = {
  name: plain('string'),
  folder: plain('string'),
  kind: plain('string'),
  class: plain('string', true),
  state: plain('string', true),
  'product id': plain('string', true),
  author: plain('string', true),
};

/** Geometry facts available to rules, besides the model's properties. */
export const GEOMETRY: Readonly<Record<string, FeelType>> = {
  'geometry mass': plain('number', true),
  'geometry volume': plain('number', true),
  'geometry material': plain('string', true),
};

type Active = Pick<Property, 'writtenName' | 'ruleName' | 'type' | 'caption' | 'retired'>;

/**
 * What expressions can name: values of their own holder by name, and through reserved names those of the file (`file`, `document`), project
 * and drawing set, the drawing's model (`model`), an occurrence's assembly (`assembly`) and part (`part`), and an assembly's parts with
 * quantities (`parts`).
 */
export function ruleScope(properties: readonly Active[], { clock }: { readonly clock: boolean }): RuleScope {
  const active = properties.filter((property) => !property.retired);
  const own = Object.fromEntries(active.map((property) => [ruleNameOf(property), feelType(property)]));
  const group = (more: Readonly<Record<string, FeelType>> = {}) => contextType({ ...own, ...more }, true);
  return {
    names: {
      ...own,
      file: contextType({ ...FILE_TYPE, ...GEOMETRY }),
      document: group(),
      model: group(GEOMETRY),
      assembly: group(),
      part: group(GEOMETRY),
      project: group(),
      'drawing set': group(),
      parts: listOf(contextType({ ...own, ...GEOMETRY, quantity: plain('number') })),
    },
    captions: Object.fromEntries(active.map((property) => [ruleNameOf(property), property.ruleName ? property.writtenName : property.caption])),
    clock,
  };
}
