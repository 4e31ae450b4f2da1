import { EntryForm, FormInput, FormPanel, Kind, Property, isHeldAt, newInput, reaches, whyNotTyped } from '../schema';

/** The first form for a kind and class; forms naming the class take precedence. */
export function formFor(forms: readonly EntryForm[], kind: Kind, className: string | null): EntryForm | null {
  const own = forms.filter((form) => form.kinds.includes(kind) && (form.classes.length === 0 || (className !== null && form.classes.includes(className))));
  return own.find((form) => form.classes.length > 0) ?? own[0] ?? null;
}

/** A form of all typed properties by schema group, for files without one. */
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

/** A form, or part of one, over the files it is for. */
export interface Section<F> {
  readonly key: string;
  /** The section's heading, if there are several. */
  readonly title: string;
  readonly form: EntryForm;
  readonly files: readonly F[];
}

const placeOf = (input: FormInput) => `${input.property}/${input.level}`;

/**
 * How files of several classes are filled in: `shared` shows common inputs first, over all files, then the rest per form; `apart` shows
 * each form over its own files.
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
      // Conditions of a form do not apply to files of others.
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
