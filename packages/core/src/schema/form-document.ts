import { EntryForm, FormInput } from './form';
import { Property } from './property';

/** An input for transfer; properties by written name. */
export interface InputDocument extends Omit<FormInput, 'property'> {
  readonly property: string;
}

/** A form for transfer between schemas. */
export interface FormDocument extends Omit<EntryForm, 'id' | 'panels'> {
  readonly panels: readonly (Omit<EntryForm['panels'][number], 'inputs'> & { readonly inputs: readonly InputDocument[] })[];
}

/** Exports a form without inputs of unknown properties. */
export function formDocument({ id, panels, ...form }: EntryForm, properties: readonly Pick<Property, 'id' | 'writtenName'>[]): FormDocument {
  void id;
  const names = new Map(properties.map((property) => [property.id, property.writtenName]));
  return {
    ...form,
    panels: panels.map((panel) => ({
      ...panel,
      inputs: panel.inputs.flatMap((input): InputDocument[] => {
        const name = names.get(input.property);
        return name === undefined ? [] : [{ ...input, property: name }];
      }),
    })),
  };
}

/** Imports a form by written name or known spelling; unknown names are reported and left out. */
export function readFormDocument(
  { panels, ...form }: FormDocument,
  properties: readonly Pick<Property, 'id' | 'writtenName' | 'knownSpellings'>[],
): { readonly form: Omit<EntryForm, 'id'>; readonly unknown: readonly string[] } {
  const ids = new Map<string, number>();
  for (const property of properties) for (const spelling of property.knownSpellings) ids.set(spelling, property.id);
  for (const property of properties) ids.set(property.writtenName, property.id);
  const unknown: string[] = [];
  const own = panels.map((panel) => ({
    ...panel,
    inputs: panel.inputs.flatMap((input): FormInput[] => {
      const id = ids.get(input.property);
      if (id !== undefined) return [{ ...input, property: id }];
      unknown.push(input.property);
      return [];
    }),
  }));
  return { form: { ...form, panels: own }, unknown };
}
