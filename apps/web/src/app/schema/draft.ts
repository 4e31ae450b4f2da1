import { Kind, KINDS, Property, PropertyDraft } from '@rule/core/schema';

/** A property's definition without its number and retirement. */
export function draftOf(property: Property): PropertyDraft {
  const { id, retired, ...draft } = property;
  void id;
  void retired;
  return draft;
}

/** Kinds named in an address, as far as they are kinds. */
export const kindsFrom = (text: string | undefined): Kind[] => KINDS.filter((kind) => (text ?? '').split(',').includes(kind));

/** A draft in which what does not go with its type is taken out, so that nothing unseen is saved. */
export function tidy(draft: PropertyDraft): PropertyDraft {
  const text = draft.type === 'text';
  const number = draft.type === 'number' || draft.type === 'whole';
  return {
    ...draft,
    unit: draft.type === 'number' ? draft.unit || null : null,
    decimals: draft.type === 'number' ? draft.decimals : null,
    minLength: text ? draft.minLength : null,
    maxLength: text ? draft.maxLength : null,
    min: number ? draft.min : null,
    max: number ? draft.max : null,
    choices: draft.type === 'choice' ? draft.choices : [],
    fileField: draft.feed === 'file' ? draft.fileField : null,
  };
}
