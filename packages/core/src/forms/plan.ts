import { EntryForm, FormInput, FormPanel, Kind, Property, isHeldAt, newInput, reaches, whyNotTyped } from '../schema';

/** The first form that is for files of a kind and class: one that names the class comes before those that name none. */
export function formFor(forms: readonly EntryForm[], kind: Kind, className: string | null): EntryForm | null {
  const own = forms.filter((form) => form.kinds.includes(kind) && (form.classes.length === 0 || (className !== null && form.classes.includes(className))));
  return own.find((form) => form.classes.length > 0) ?? own[0] ?? null;
}

/** A form of everything that can be typed, by the groups of the schema, for files that no form is laid out for. */
export function plainForm(properties: readonly Property[], kind: Kind, className: string | null): EntryForm {
  const panels = new Map<string, FormInput[]>();
  for (const property of properties) {
    if (property.retired || !reaches(property, kind, className) || isHeldAt(property, 'company')) continue;
    if (whyNotTyped(property, kind) !== null && property.feed !== 'counted') continue;
    const title = property.level === 'document' ? property.group : `${property.group || 'Values'} of single ${property.level}s`;
    panels.set(title, [...(panels.get(title) ?? []), newInput(`p${property.id}`, property)]);
  }
  return {
    id: 0,
    name: `All of a ${kind}`,
    kinds: [kind],
    classes: [],
    panels: [...panels].map(([title, inputs], i): FormPanel => ({ key: `g${i}`, title: title || 'Values', shownWhen: '', inputs })),
  };
}

/** Part of what is filled in: a form, or what is left of one, over the files that it is for. */
export interface Section<F> {
  readonly key: string;
  /** What the section is about, where there is more than one. */
  readonly title: string;
  readonly form: EntryForm;
  readonly files: readonly F[];
}

const placeOf = (input: FormInput) => `${input.property}/${input.level}`;

/**
 * How files of several classes are filled in together: `shared` puts the inputs that all their forms have on top, over all files, and
 * what each form has beside them below; `apart` shows each form whole, over its own files.
 */
export function planSections<F extends { readonly kind: Kind; readonly className: string | null }>(
  files: readonly F[],
  forms: readonly EntryForm[],
  properties: readonly Property[],
  mode: 'shared' | 'apart',
): Section<F>[] {
  const groups = new Map<string, { form: EntryForm; files: F[]; title: string }>();
  for (const file of files) {
    const form = formFor(forms, file.kind, file.className);
    const key = form ? `form ${form.id}` : `plain ${file.kind} ${file.className ?? ''}`;
    const group = groups.get(key);
    if (group) group.files.push(file);
    else {
      const own = form ?? plainForm(properties, file.kind, file.className);
      groups.set(key, { form: own, files: [file], title: form ? form.name : file.className === null ? own.name : `${own.name}, ${file.className}` });
    }
  }
  const list = [...groups].map(([key, group]) => ({ key, ...group }));
  if (list.length < 2 || mode === 'apart') return list;
  const counts = new Map<string, number>();
  for (const { form } of list) {
    const own = new Set(form.panels.flatMap((panel) => panel.inputs.map(placeOf)));
    for (const place of own) counts.set(place, (counts.get(place) ?? 0) + 1);
  }
  const shared = new Set([...counts].filter(([, n]) => n === list.length).map(([place]) => place));
  if (shared.size === 0) return list;
  const first = list[0]!.form;
  const keep = (form: EntryForm, want: (input: FormInput) => boolean): EntryForm => ({
    ...form,
    panels: form.panels.map((panel) => ({ ...panel, inputs: panel.inputs.filter(want) })).filter((panel) => panel.inputs.length > 0),
  });
  const taken = new Set<string>();
  const once = (input: FormInput) => {
    if (!shared.has(placeOf(input)) || taken.has(placeOf(input))) return false;
    taken.add(placeOf(input));
    return true;
  };
  return [
    {
      key: 'shared',
      title: 'Shared by all',
      // Conditions of one form do not speak for the files of the others.
      form: open(keep({ ...first, id: 0 }, once)),
      files,
    },
    ...list.map((group) => ({ ...group, form: keep(group.form, (input) => !shared.has(placeOf(input))) })).filter((group) => group.form.panels.length > 0),
  ];
}

const open = (form: EntryForm): EntryForm => ({
  ...form,
  panels: form.panels.map((panel) => ({
    ...panel,
    shownWhen: '',
    inputs: panel.inputs.map((input) => ({ ...input, shownWhen: '', requiredWhen: '', readOnlyWhen: '' })),
  })),
});
