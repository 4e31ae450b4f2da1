import { EntryForm, FormInput } from './form';
import { Property } from './property';

/** An input as it travels: the property by its written name. */
export interface InputDocument extends Omit<FormInput, 'property'> {
  readonly property: string;
}

/** A form as it travels from one schema to another. */
export interface FormDocument extends Omit<EntryForm, 'id' | 'panels'> {
  readonly panels: readonly (Omit<EntryForm['panels'][number], 'inputs'> & { readonly inputs: readonly InputDocument[] })[];
}

/** A form to be sent out. Inputs whose property is not in the schema are left behind. */
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

/** A form taken in, by written name or known spelling; names that the schema does not know are told, and their inputs left out. */
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
