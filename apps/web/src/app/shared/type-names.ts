import { ValueType } from '@rule/core/values';

/** Types of values in the words of the interface. */
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
