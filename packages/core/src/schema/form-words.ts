import { EntryForm, FormInput, columnsOf } from './form';

const SETTINGS: readonly (readonly [keyof FormInput, string])[] = [
  ['caption', 'caption'],
  ['help', 'help'],
  ['look', 'shown as'],
  ['width', 'width'],
  ['level', 'level'],
  ['shownWhen', 'shown when'],
  ['requiredWhen', 'required when'],
  ['readOnlyWhen', 'read-only when'],
  ['whenHidden', 'when hidden'],
  ['holders', 'filled in for'],
  ['holderNames', 'names'],
];

const said = (value: FormInput[keyof FormInput]): string => (typeof value === 'object' ? value.join(', ') : String(value)) || 'nothing';

interface Placed {
  readonly input: FormInput;
  readonly panel: string;
  readonly at: number;
}

/** Differences between two versions of a form, as sentences. */
export function layoutChanges(before: EntryForm['panels'], after: EntryForm['panels'], captionOf: (property: number) => string): string[] {
  const placed = (panels: EntryForm['panels']) =>
    new Map(
      panels.flatMap((panel) =>
        panel.inputs.map((input, at): [string, Placed] => [`${input.property}/${input.level}/${input.key}`, { input, panel: panel.title, at }]),
      ),
    );
  const [old, now] = [placed(before), placed(after)];
  const oldPanels = new Map(before.map((panel) => [panel.key, panel]));
  const nowKeys = new Set(after.map((panel) => panel.key));
  const found: string[] = [];
  for (const panel of before) if (!nowKeys.has(panel.key)) found.push(`Panel ${panel.title} removed`);
  for (const panel of after) {
    const was = oldPanels.get(panel.key);
    if (!was) found.push(`Panel ${panel.title} added`);
    else {
      if (was.title !== panel.title) found.push(`Panel ${was.title} renamed to ${panel.title}`);
      if (columnsOf(was) !== columnsOf(panel)) found.push(`Panel ${panel.title}: columns ${columnsOf(was)} → ${columnsOf(panel)}`);
      if (was.shownWhen !== panel.shownWhen) found.push(`Panel ${panel.title}: shown when ${said(was.shownWhen)} → ${said(panel.shownWhen)}`);
    }
  }
  for (const [key, { input, panel }] of old) if (!now.has(key)) found.push(`${captionOf(input.property)} removed from ${panel}`);
  let moved = 0;
  for (const [key, { input, panel, at }] of now) {
    const was = old.get(key);
    const name = captionOf(input.property);
    if (!was) {
      found.push(`${name} added to ${panel}`);
      continue;
    }
    if (was.panel !== panel && before.some((own) => own.title === panel)) found.push(`${name} moved from ${was.panel} to ${panel}`);
    else if (was.at !== at) moved++;
    for (const [field, words] of SETTINGS) {
      const [a, b] = [said(was.input[field]), said(input[field])];
      if (a !== b) found.push(`${name}: ${words} ${a} → ${b}`);
    }
  }
  const kept = (panels: EntryForm['panels'], other: ReadonlyMap<string, Placed>) => [...placed(panels).keys()].filter((key) => other.has(key)).join('\n');
  if (found.length === 0 || (moved > 0 && kept(before, now) !== kept(after, old))) found.push('Order of inputs or panels changed');
  return found;
}
