import { Kind, KINDS, PropertyDraft, newSheetArea } from '@rule/core/schema';

/** Kinds from the URL, validated. */
export const kindsFrom = (text: string | undefined): Kind[] => KINDS.filter((kind) => (text ?? '').split(',').includes(kind));

/** A draft without fields that do not apply to its type and source. */
export function tidy(draft: PropertyDraft): PropertyDraft {
  const isNumber = draft.type === 'number';
  const sized = isNumber || draft.type === 'whole';
  const lettered = !sized && draft.type !== 'yesno' && draft.type !== 'date';
  const { feed } = draft;
  return {
    ...draft,
    unit: isNumber ? draft.unit || null : null,
    decimals: isNumber ? draft.decimals : null,
    words: draft.type === 'yesno' ? draft.words : null,
    form: isNumber ? draft.form : { ...draft.form, unit: null, number: 'decimal' },
    minLength: lettered ? draft.minLength : null,
    maxLength: lettered ? draft.maxLength : null,
    min: sized ? draft.min : null,
    max: sized ? draft.max : null,
    pattern: lettered ? draft.pattern : '',
    forbidden: lettered ? draft.forbidden : '',
    letterCase: lettered ? draft.letterCase : 'any',
    choices: draft.type === 'choice' && draft.list === null ? draft.choices : [],
    list: draft.type === 'choice' ? draft.list : null,
    narrowedBy: draft.type === 'choice' && draft.list !== null ? draft.narrowedBy : null,
    open: draft.type === 'choice' && draft.open,
    fileField: feed === 'file' ? draft.fileField : null,
    modelFact: feed === 'model' ? draft.modelFact : null,
    sheetFact: feed === 'sheet' ? draft.sheetFact : null,
    sheetArea: feed === 'sheet' && draft.sheetFact === 'closed area' ? (draft.sheetArea ?? newSheetArea()) : null,
    inheritFrom: feed === 'inherited' ? draft.inheritFrom : null,
    mayOverride: feed === 'inherited' && draft.mayOverride,
    series: feed === 'counted' ? draft.series : null,
    rule: feed === 'ruled' ? draft.rule : '',
    examples: feed === 'ruled' ? draft.examples : [],
  };
}
