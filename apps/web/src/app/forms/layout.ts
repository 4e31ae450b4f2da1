import { EntryForm, FormInput, FormPanel, Property, newInput, spanOf } from '@rule/core/schema';

/** A form being edited. */
export type Laid = Omit<EntryForm, 'id'>;

/** A position in a form. */
export interface Place {
  readonly panel: string;
  readonly input: string | null;
}

/** An unused key. */
export function freshKey(form: Laid, letter: string): string {
  const taken = new Set(form.panels.flatMap((panel) => [panel.key, ...panel.inputs.map((input) => input.key)]));
  for (let n = 1; ; n++) if (!taken.has(`${letter}${n}`)) return `${letter}${n}`;
}

export const emptyForm = (name: string): Laid => ({
  name,
  kinds: ['part'],
  classes: [],
  panels: [{ key: 'p1', title: 'Identity', shownWhen: '', inputs: [] }],
});

const withPanel = (form: Laid, key: string, change: (panel: FormPanel) => FormPanel): Laid => ({
  ...form,
  panels: form.panels.map((panel) => (panel.key === key ? change(panel) : panel)),
});

export const changePanel = (form: Laid, key: string, change: Partial<FormPanel>): Laid => withPanel(form, key, (panel) => ({ ...panel, ...change }));

export const changeInput = (form: Laid, { panel, input }: Place, change: Partial<FormInput>): Laid =>
  withPanel(form, panel, (own) => ({ ...own, inputs: own.inputs.map((entry) => (entry.key === input ? { ...entry, ...change } : entry)) }));

/** Adds inputs for properties. */
export function addInputs(form: Laid, panel: string, properties: readonly Property[], at: number): { readonly form: Laid; readonly keys: readonly string[] } {
  const keys: string[] = [];
  const added = properties.reduce((now, property, i) => {
    const key = freshKey(now, 'i');
    keys.push(key);
    return withPanel(now, panel, (own) => {
      const inputs = [...own.inputs];
      const entry = newInput(key, property);
      inputs.splice(at + i, 0, { ...entry, width: spanOf(own, entry) });
      return { ...own, inputs };
    });
  }, form);
  return { form: added, keys };
}

export function addPanel(form: Laid, at: number): { readonly form: Laid; readonly key: string } {
  const key = freshKey(form, 'p');
  const panels = [...form.panels];
  panels.splice(at, 0, { key, title: 'New panel', shownWhen: '', inputs: [] });
  return { key, form: { ...form, panels } };
}

/** Moves a panel. */
export function movePanel(form: Laid, from: number, to: number): Laid {
  const panels = [...form.panels];
  panels.splice(to, 0, ...panels.splice(from, 1));
  return { ...form, panels };
}

export const removeAt = (form: Laid, { panel, input }: Place): Laid =>
  input === null
    ? { ...form, panels: form.panels.filter((own) => own.key !== panel) }
    : withPanel(form, panel, (own) => ({ ...own, inputs: own.inputs.filter((entry) => entry.key !== input) }));

/** Moves an input. */
export function moveInput(form: Laid, input: string, to: string, at: number): Laid {
  const found = form.panels.flatMap((panel) => panel.inputs).find((entry) => entry.key === input);
  if (!found) return form;
  return {
    ...form,
    panels: form.panels.map((panel) => {
      const inputs = panel.inputs.filter((entry) => entry.key !== input);
      if (panel.key === to) inputs.splice(Math.min(at, inputs.length), 0, found);
      return { ...panel, inputs };
    }),
  };
}

/** Moves an item by one step; inputs move into adjacent panels. */
export function step(form: Laid, { panel, input }: Place, by: 1 | -1): Laid {
  const p = form.panels.findIndex((own) => own.key === panel);
  if (p < 0) return form;
  if (input === null) {
    return p + by < 0 || p + by >= form.panels.length ? form : movePanel(form, p, p + by);
  }
  const i = form.panels[p]!.inputs.findIndex((entry) => entry.key === input);
  const next = i + by;
  if (next >= 0 && next < form.panels[p]!.inputs.length) return moveInput(form, input, panel, next);
  const other = form.panels[p + by];
  return other ? moveInput(form, input, other.key, by > 0 ? 0 : other.inputs.length) : form;
}
