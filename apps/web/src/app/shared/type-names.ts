import { ValueType } from '@rule/core/values';

/** Display names of value types. */
export const TYPE_NAMES: Readonly<Record<ValueType, string>> = {
  text: 'text',
  longtext: 'long text',
  whole: 'whole number',
  number: 'number',
  yesno: 'yes or no',
  date: 'date',
  choice: 'choice',
  person: 'person',
  file: 'link to a file',
};
