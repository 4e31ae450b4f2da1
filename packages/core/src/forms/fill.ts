import { FeelContext } from '../rules';
import {
  Change,
  FileFacts,
  FormInput,
  FormPanel,
  HeldBySlot,
  HolderFacts,
  Judged,
  PreparedSchema,
  Property,
  WideLevel,
  checkProposed,
  familyOf,
  forClass,
  isWide,
  onBlock,
  reaches,
  sameValue,
  slotKey,
  slotOf,
  whyNotChanged,
  whyNotDrawn,
} from '../schema';
import { HeldValue, StandIns, editText, readHeld, showValue } from '../values';
import { Section } from './plan';
import { PreparedForm } from './prepared';

/** A file being filled in, with its inner holders and levels above. */
export interface FillFile extends FileFacts {
  readonly path: string;
  readonly lock: string | null;
  readonly holders: readonly HolderFacts[];
  /** Ids of levels above, by level. */
  readonly wide: Readonly<Partial<Record<WideLevel, number>>>;
}

/** A company, project or drawing set above the files. */
export interface FillWide {
  readonly id: number;
  readonly level: WideLevel;
  readonly name: string;
  readonly held: ReadonlyMap<string, HeldValue>;
}

/** Entries by input and row; see {@link editKey}. */
export type Edits = ReadonlyMap<string, string>;
export const editKey = (section: string, input: string, row: string): string => JSON.stringify([section, input, row]);

/** Decisions about values of hidden inputs, by input. */
export type Decisions = ReadonlyMap<string, 'keep' | 'clear'>;

/** A value to be written. Negative ids are levels above files. */
export interface FilledValue {
  readonly file: number;
  readonly holder: string;
  readonly property: number;
  readonly text: string;
}

/** Holders written by one field of an input. */
export interface RowView {
  /** Empty for all holders of the input. */
  readonly id: string;
  readonly label: string;
  readonly targets: number;
  /** The untouched field's content: the value common to all targets, if any. */
  readonly text: string;
  readonly state: 'same' | 'mixed' | 'blank';
  /** Values with counts, most frequent first; blanks are empty. */
  readonly values: readonly { readonly text: string; readonly count: number }[];
  readonly distinct: number;
  /** What blanks show: a variant the document's value, an occurrence the part's; `null` if they differ or are absent. */
  readonly fallback: string | null;
  readonly typed: string | null;
  /** The problem with the entry or the current value. */
  readonly wrong: readonly string[];
  /** Number of changed values. */
  readonly changes: number;
  /** Whether the entry cannot be written. */
  readonly refused: boolean;
}

/** An input over all files of its section. */
export interface InputView {
  readonly key: string;
  readonly input: FormInput;
  readonly property: Property;
  readonly caption: string;
  readonly help: string;
  /** Holders for which the input is visible, out of all. */
  readonly shownFor: number;
  readonly of: number;
  readonly required: boolean;
  /** Why the field is read-only, with counts of holders. */
  readonly closed: readonly { readonly reason: string; readonly count: number }[];
  readonly open: boolean;
  /** Files for which a number can be drawn. */
  readonly drawable: readonly number[];
  readonly missing: number;
  readonly rows: readonly RowView[];
}

export interface PanelView {
  readonly section: string;
  readonly panel: FormPanel;
  readonly inputs: readonly InputView[];
}

/** A value in files that no visible input shows. */
export interface Leftover {
  readonly key: string;
  readonly caption: string;
  readonly files: number;
  /** Whether a decision is required. */
  readonly asks: boolean;
}

/** A form's state over files, and the resulting changes. */
export interface FillView {
  readonly panels: readonly PanelView[];
  readonly values: readonly FilledValue[];
  readonly files: number;
  /** Inputs with invalid entries. */
  readonly refused: number;
  readonly leftovers: readonly Leftover[];
}

const LOCKED = 'cannot be changed: the file ';

interface Target {
  /** File id, or negative id of a level above. */
  readonly id: number;
  readonly file: FillFile;
  readonly holder: HolderFacts | null;
  readonly wide: FillWide | null;
  readonly row: string;
  readonly label: string;
}

/** Values listed per row. */
const MOST_VALUES = 6;

/** One or more forms over files; all state follows from file contents and entries. */
export class Filling {
  private readonly forms: ReadonlyMap<string, PreparedForm>;
  private readonly byId: ReadonlyMap<number, Property>;
  private readonly wides: ReadonlyMap<number, FillWide>;
  private readonly texts = new Map<Property, WeakMap<HeldValue, string>>();
  private readonly reasons = new Map<string, string | null>();
  private readonly targeted = new Map<FormInput, readonly Target[]>();

  constructor(
    private readonly sections: readonly Section<FillFile>[],
    wides: readonly FillWide[],
    private readonly schema: PreparedSchema,
    private readonly role: Change['role'],
  ) {
    this.forms = new Map(sections.map((section) => [section.key, new PreparedForm(section.form, schema)]));
    this.byId = new Map(schema.schema.properties.map((property) => [property.id, property]));
    this.wides = new Map(wides.map((wide) => [wide.id, wide]));
  }

  /** Target holders of an input, by row. */
  private targets(section: Section<FillFile>, input: FormInput, property: Property): readonly Target[] {
    const known = this.targeted.get(input) ?? this.findTargets(section, input, property);
    this.targeted.set(input, known);
    return known;
  }

  private findTargets(section: Section<FillFile>, input: FormInput, property: Property): Target[] {
    if (isWide(input.level)) {
      const level = input.level;
      const seen = new Map<number, Target>();
      for (const file of section.files) {
        const wide = this.wides.get(file.wide[level] ?? 0);
        if (wide && !seen.has(wide.id)) seen.set(wide.id, { id: -wide.id, file, holder: null, wide, row: `${wide.id}`, label: wide.name });
      }
      return [...seen.values()];
    }
    const reached = section.files.filter((file) => reaches(property, file.kind, file.className));
    const single = section.files.length === 1;
    return reached.flatMap((file): Target[] => {
      const own = input.level === 'document' || (input.level === 'variant' && input.holders === 'document');
      if (own) return [{ id: file.id, file, holder: null, wide: null, row: '', label: '' }];
      return file.holders
        .filter((holder) => holder.level === input.level && (input.holders !== 'named' || input.holderNames.includes(holder.label)))
        .filter((holder) => {
          const slot = slotOf(this.own(property, holder), file.kind);
          return slot.place !== 'cell' || holder.held.has(slotKey(slot.place, slot.name));
        })
        .map((holder) => {
          const label = holder.sheet?.layout ?? (holder.label || holder.key);
          return { id: file.id, file, holder, wide: null, row: single ? holder.key : label, label };
        });
    });
  }

  /** A property as its holder has it; on a sheet, with the home cell of its block. */
  private own(property: Property, holder: HolderFacts | null): Property {
    return holder?.level === 'sheet' ? onBlock(property, this.schema.schema.bindings, familyOf(holder.label)) : property;
  }

  private slot(target: Target, property: Property) {
    return target.wide ? ({ place: 'property', name: property.writtenName } as const) : slotOf(this.own(property, target.holder), target.file.kind);
  }

  private held(target: Target, property: Property): HeldValue | null {
    const slot = this.slot(target, property);
    if (target.wide) return target.wide.held.get(property.writtenName) ?? null;
    return (target.holder?.held ?? target.file.held).get(slotKey(slot.place, slot.name)) ?? null;
  }

  private closed(target: Target, property: Property): string | null {
    const { kind, className, state, lock } = target.file;
    const where = target.wide?.level ?? kind;
    const key = `${property.id}/${where}/${target.wide ? '' : `${className ?? ''}/${state ?? ''}`}`;
    let reason = this.reasons.get(key);
    if (reason === undefined) {
      reason = whyNotChanged(property, { role: this.role, kind: where, className: target.wide ? null : className, state: target.wide ? null : state });
      this.reasons.set(key, reason);
    }
    return reason ?? (target.wide || lock === null ? null : `${LOCKED}${lock}`);
  }

  private mayDraw({ file: { kind, className, state, lock }, holder, wide }: Target, property: Property): boolean {
    return !holder && !wide && lock === null && whyNotDrawn(property, { role: this.role, kind, className, state }) === null;
  }

  /**
   * Current texts and counts of a field's holders, by {@link editKey}, to detect changes on return; `null` if the field no longer exists.
   */
  standing(key: string): { readonly caption: string; readonly texts: readonly { readonly text: string; readonly count: number }[] } | null {
    const [sectionKey, inputKey, row] = JSON.parse(key) as [string, string, string];
    const section = this.sections.find((candidate) => candidate.key === sectionKey);
    const input = section?.form.panels.flatMap((panel) => panel.inputs).find((candidate) => candidate.key === inputKey);
    const property = input && this.byId.get(input.property);
    if (!section || !input || !property) return null;
    const targets = this.targets(section, input, property).filter((target) => row === '' || target.row === row);
    if (targets.length === 0) return null;
    const counts = new Map<string, number>();
    for (const target of targets) {
      const held = this.held(target, property);
      const text = held === null || held.text === '' ? '' : this.textOf(held, forClass(property, target.wide ? null : target.file.className));
      counts.set(text, (counts.get(text) ?? 0) + 1);
    }
    const texts = [...counts].map(([text, count]) => ({ text, count })).sort((a, b) => (a.text < b.text ? -1 : 1));
    return { caption: input.caption || property.caption, texts };
  }

  /** Computes the complete state. */
  view(edits: Edits, decisions: Decisions): FillView {
    const standIns = this.schema.standIns;
    const written = new Map<string, FilledValue>();
    const now = new Changed();
    const checks = new Checked(standIns);
    const touched = new Set([...edits.keys()].map((key) => JSON.stringify((JSON.parse(key) as string[]).slice(0, 2))));
    // Entries first: conditions and rules depend on them.
    for (const section of this.sections)
      for (const panel of section.form.panels)
        for (const input of panel.inputs) {
          const property = this.byId.get(input.property);
          if (!property || property.retired || !touched.has(JSON.stringify([section.key, input.key]))) continue;
          for (const target of this.targets(section, input, property)) {
            const text = edits.get(editKey(section.key, input.key, target.row)) ?? edits.get(editKey(section.key, input.key, ''));
            if (text === undefined || this.closed(target, property) !== null) continue;
            const own = forClass(property, target.wide ? null : target.file.className);
            const check = checks.of(text, own);
            if (check.ok) this.write(target, own, text, check.held, written, now);
          }
        }
    const states = this.states(now);
    const leftovers = this.hidden(states, decisions, written, now, checks);
    const panels = this.sections.flatMap((section) =>
      section.form.panels.map((panel) => this.panel(section, panel, edits, states, now, checks)).filter((panel) => panel.inputs.length > 0),
    );
    return {
      panels,
      values: [...written.values()],
      files: new Set([...written.values()].map((value) => value.file)).size,
      refused: panels.reduce((sum, panel) => sum + panel.inputs.filter((input) => input.rows.some((row) => row.refused)).length, 0),
      leftovers,
    };
  }

  private write(target: Target, property: Property, text: string, held: HeldValue | null, written: Map<string, FilledValue>, now: Changed): void {
    const holder = target.holder?.key ?? '';
    const key = JSON.stringify([target.id, holder, property.id]);
    const before = this.held(target, property);
    if (sameValue(before?.text === '' ? null : before, held, property)) written.delete(key);
    else written.set(key, { file: target.id, holder, property: property.id, text });
    now.set(target.id, holder, this.slot(target, property), held);
  }

  /** Conditions of all forms by file and input, before and after the entries. */
  private states(
    now: Changed,
  ): (
    section: Section<FillFile>,
    panel: string,
    input: FormInput,
    target: Target,
  ) => { before: boolean; shown: boolean; required: boolean; readOnly: boolean } {
    const names = new Map<string, FeelContext>();
    const namesOf = (file: FillFile, holder: HolderFacts | null, changed: boolean): FeelContext => {
      const key = `${file.id}/${holder?.key ?? ''}/${changed}`;
      const known = names.get(key);
      if (known) return known;
      const facts = changed ? now.file(file) : file;
      const made = holder === null ? this.schema.ownNames(facts) : this.schema.holderNames(facts, changed ? now.holder(file, holder) : holder);
      names.set(key, made);
      return made;
    };
    return (section, panel, input, { file, holder }) => {
      const form = this.forms.get(section.key)!;
      if (!form.hasConditions) return { before: true, shown: true, required: false, readOnly: false };
      const state = form.stateOf(panel, input.key, namesOf(file, holder, true));
      const touched = now.touches(file);
      return { ...state, before: touched ? form.stateOf(panel, input.key, namesOf(file, holder, false)).shown : state.shown };
    };
  }

  /** Clears values of hidden inputs set to clear, and reports the rest. */
  private hidden(states: ReturnType<Filling['states']>, decisions: Decisions, written: Map<string, FilledValue>, now: Changed, checks: Checked): Leftover[] {
    const left = new Map<string, { caption: string; files: Set<number>; asks: boolean }>();
    // Not left over if another input shows the property for that holder.
    const owned = new Set<string>();
    const places: { section: Section<FillFile>; panel: FormPanel; input: FormInput; property: Property; target: Target; before: boolean; shown: boolean }[] =
      [];
    for (const section of this.sections) {
      if (!this.forms.get(section.key)!.hasConditions) continue;
      for (const panel of section.form.panels)
        for (const input of panel.inputs) {
          const property = this.byId.get(input.property);
          if (!property || property.retired) continue;
          for (const target of this.targets(section, input, property)) {
            const { before, shown } = states(section, panel.key, input, target);
            const place = JSON.stringify([target.id, target.holder?.key ?? '', property.id]);
            if (shown) owned.add(place);
            else places.push({ section, panel, input, property, target, before, shown });
          }
        }
    }
    for (const { section, input, property, target, before } of places) {
      const holder = target.holder?.key ?? '';
      if (owned.has(JSON.stringify([target.id, holder, property.id]))) continue;
      const held = now.held(target.id, holder, this.slot(target, property)) ?? this.held(target, property);
      if (held === null || held.text === '') continue;
      const key = `${section.key}/${input.key}`;
      const decided = input.whenHidden === 'ask' ? decisions.get(key) : input.whenHidden === 'clear' ? 'clear' : 'keep';
      const disappears = before || now.has(target.id, holder, this.slot(target, property));
      if (disappears && decided === 'clear' && this.closed(target, property) === null && checks.of('', forClass(property, target.file.className)).ok) {
        this.write(target, property, '', null, written, now);
        continue;
      }
      const entry = left.get(key) ?? { caption: input.caption || property.caption, files: new Set<number>(), asks: false };
      entry.files.add(target.id);
      entry.asks ||= disappears && input.whenHidden === 'ask' && decided === undefined;
      left.set(key, entry);
    }
    return [...left].map(([key, { caption, files, asks }]) => ({ key, caption, files: files.size, asks }));
  }

  private panel(section: Section<FillFile>, panel: FormPanel, edits: Edits, states: ReturnType<Filling['states']>, now: Changed, checks: Checked): PanelView {
    const inputs = panel.inputs.flatMap((input): InputView[] => {
      const property = this.byId.get(input.property);
      if (!property || property.retired) return [];
      const all = this.targets(section, input, property);
      const shown: { target: Target; required: boolean; readOnly: boolean }[] = [];
      for (const target of all) {
        const state = states(section, panel.key, input, target);
        if (state.shown) shown.push({ target, required: state.required, readOnly: state.readOnly });
      }
      if (shown.length === 0) return [];
      const reasons = new Map<string, number>();
      let missing = 0;
      for (const { target, readOnly } of shown) {
        const reason = this.closed(target, property) ?? (readOnly ? 'is read-only in this form' : null);
        if (reason !== null) reasons.set(reason, (reasons.get(reason) ?? 0) + 1);
      }
      const drawable =
        property.feed === 'counted' ? shown.flatMap(({ target, readOnly }) => (this.mayDraw(target, property) && !readOnly ? [target.file.id] : [])) : [];
      const open = [...reasons.values()].reduce((sum, count) => sum + count, 0) < shown.length;
      let required = property.required || shown.some((entry) => entry.required);
      const byRow = new Map<string, typeof shown>();
      for (const entry of shown) byRow.set(entry.target.row, [...(byRow.get(entry.target.row) ?? []), entry]);
      const rows = [...byRow].map(([id, entries]) => {
        const { view, missing: lacking, due } = this.row(section, input, property, id, entries, edits, now, checks);
        missing += lacking;
        required ||= due;
        return view;
      });
      const together = rows.length > 1 ? [this.row(section, input, property, '', shown, edits, now, checks).view] : [];
      return [
        {
          key: `${section.key}/${input.key}`,
          input,
          property,
          caption: input.caption || property.caption,
          help: input.help || property.help,
          shownFor: shown.length,
          of: all.length,
          required,
          // Locks are reported per file.
          closed: [...reasons].filter(([reason]) => !open || !reason.startsWith(LOCKED)).map(([reason, count]) => ({ reason, count })),
          open,
          drawable,
          missing,
          rows: [...together, ...rows],
        },
      ];
    });
    return { section: section.key, panel, inputs };
  }

  private row(
    section: Section<FillFile>,
    input: FormInput,
    property: Property,
    id: string,
    entries: readonly { readonly target: Target; readonly required: boolean; readonly readOnly: boolean }[],
    edits: Edits,
    now: Changed,
    checks: Checked,
  ): { view: RowView; missing: number; due: boolean } {
    const counts = new Map<string, number>();
    const wrong = new Set<string>();
    let [missing, changes, refused, due] = [0, 0, false, false];
    const fallbacks = new Set<string>();
    const typed = edits.get(editKey(section.key, input.key, id)) ?? null;
    for (const { target, required } of entries) {
      const own = forClass(property, target.wide ? null : target.file.className);
      const slot = this.slot(target, property);
      const holder = target.holder?.key ?? '';
      const before = this.held(target, property);
      const after = now.has(target.id, holder, slot) ? now.held(target.id, holder, slot) : before;
      const derived = this.derived(target, property, now);
      const shown = derived !== undefined ? derived : after;
      const text = shown === null || shown.text === '' ? '' : this.textOf(shown, own);
      counts.set(text, (counts.get(text) ?? 0) + 1);
      const behind = text === '' && target.holder && own.fallback ? this.judged(target, property, now) : undefined;
      const falls = behind?.origin === 'fallback' && behind.value ? this.textOf(behind.value, own) : '';
      if (text === '') fallbacks.add(falls);
      // Class, conditions or workflow state may require a value; judgement decides.
      const asked = own.required || (text === '' && this.asks(target, own, now));
      due ||= asked;
      if (text === '' && falls === '' && (asked || required)) missing++;
      const text_ = typed ?? edits.get(editKey(section.key, input.key, ''));
      if (text_ !== undefined && this.closed(target, property) === null) {
        const check = checks.of(text_, own);
        if (!check.ok) {
          refused = true;
          for (const violation of check.violations) wrong.add(violation.message);
        } else if (!sameValue(before?.text === '' ? null : before, check.held, own)) changes++;
      } else if (now.has(target.id, holder, slot) && !sameValue(before?.text === '' ? null : before, after, own)) changes++;
    }
    if (!refused && (entries.length <= MOST_JUDGED || typed !== null))
      for (const { target } of entries.slice(0, MOST_JUDGED))
        for (const { code, message } of this.judged(target, property, now)?.cell.violations ?? []) if (code !== 'required') wrong.add(message);
    const values = [...counts].map(([text, count]) => ({ text, count })).sort((a, b) => b.count - a.count || a.text.localeCompare(b.text));
    const only = values.length === 1 ? values[0]! : null;
    return {
      missing,
      due,
      view: {
        id,
        label: id === '' && entries.some(({ target }) => target.row !== '') ? `all ${entries.length}` : (entries[0]?.target.label ?? ''),
        targets: entries.length,
        text: only?.text ?? '',
        state: only === null ? 'mixed' : only.text === '' ? 'blank' : 'same',
        values: values.slice(0, MOST_VALUES),
        distinct: values.length,
        fallback: fallbacks.size === 1 && !fallbacks.has('') ? [...fallbacks][0]! : null,
        typed,
        wrong: [...wrong].slice(0, 5),
        changes,
        refused,
      },
    };
  }

  /** A held value as displayed. Computed once per distinct value. */
  private textOf(held: HeldValue, property: Property): string {
    const own = this.texts.get(property) ?? new WeakMap<HeldValue, string>();
    this.texts.set(property, own);
    const known = own.get(held) ?? textFor(held, property);
    own.set(held, known);
    return known;
  }

  /** Whether a blank may be missing for reasons beyond the definition. */
  private asks(target: Target, property: Property, now: Changed): boolean {
    if (property.requiredWhen.trim() === '' && property.requiredFrom === '') return false;
    return this.judged(target, property, now)?.cell.violations.some((violation) => violation.code === 'required') ?? false;
  }

  private judged(target: Target, property: Property, now: Changed): Judged | undefined {
    if (target.wide) return undefined;
    const facts = now.file(target.file);
    return now
      .judged(target.file, target.holder, () =>
        target.holder ? this.schema.judgeHolder(facts, now.holder(target.file, target.holder)) : this.schema.judge(facts).values,
      )
      .get(property.id);
  }

  /** Value of a computed property; `undefined` if it is typed. */
  private derived(target: Target, property: Property, now: Changed): HeldValue | null | undefined {
    if (property.feed === 'typed' || property.feed === 'counted' || target.wide) return undefined;
    const judged = this.judged(target, property, now);
    return judged?.derived === undefined ? undefined : judged.derived;
  }
}

/** Holders per row judged with the full schema while typing; the rest on adding to the tray. */
const MOST_JUDGED = 200;

const textFor = (held: HeldValue, property: Property): string => {
  const parsed = readHeld(held, property);
  return parsed.ok ? (property.type === 'text' || property.type === 'longtext' ? held.text : showOrEdit(parsed.value, property)) : held.text;
};
const showOrEdit = (value: Parameters<typeof editText>[0], property: Property): string =>
  property.feed === 'typed' || property.feed === 'inherited' ? editText(value, property) : showValue(value, property);

/** Checked texts, by class definition. */
class Checked {
  private readonly known = new Map<Property, Map<string, ReturnType<typeof checkProposed>>>();
  constructor(private readonly standIns: StandIns) {}
  of(text: string, property: Property): ReturnType<typeof checkProposed> {
    const own = this.known.get(property) ?? new Map<string, ReturnType<typeof checkProposed>>();
    this.known.set(property, own);
    const known = own.get(text) ?? checkProposed(text, property, this.standIns);
    own.set(text, known);
    return known;
  }
}

/** Files with the entries applied. */
class Changed {
  private readonly changes = new Map<string, Map<string, HeldValue | null>>();
  private readonly files = new Map<number, FillFile>();
  private readonly inner = new Map<string, HolderFacts>();
  private readonly judgements = new Map<string, ReadonlyMap<number, Judged>>();
  private readonly touchedFiles = new Set<number>();
  private anyWide = false;

  set(id: number, holder: string, slot: { readonly place: string; readonly name: string }, held: HeldValue | null): void {
    const key = `${id}/${holder}`;
    const own = this.changes.get(key) ?? new Map<string, HeldValue | null>();
    own.set(slotKey(slot.place, slot.name), held);
    this.changes.set(key, own);
    if (id < 0) this.anyWide = true;
    this.touchedFiles.add(id);
    this.files.delete(id);
    this.inner.delete(key);
    this.judgements.clear();
  }
  has(id: number, holder: string, slot: { readonly place: string; readonly name: string }): boolean {
    return this.changes.get(`${id}/${holder}`)?.has(slotKey(slot.place, slot.name)) ?? false;
  }
  held(id: number, holder: string, slot: { readonly place: string; readonly name: string }): HeldValue | null {
    return this.changes.get(`${id}/${holder}`)?.get(slotKey(slot.place, slot.name)) ?? null;
  }
  touches(file: FillFile): boolean {
    return this.touchedFiles.has(file.id) || (this.anyWide && Object.values(file.wide).some((id) => this.touchedFiles.has(-id)));
  }
  file(file: FillFile): FillFile {
    if (!this.touches(file)) return file;
    const known = this.files.get(file.id);
    if (known) return known;
    const above = this.anyWide
      ? Object.fromEntries(
          Object.entries(file.above).map(([level, values]) => {
            const id = file.wide[level as WideLevel];
            const own = id === undefined ? undefined : this.changes.get(`${-id}/`);
            return [level, own ? new Map([...values, ...[...own].map(([key, held]) => [key.slice('property/'.length), held ?? NONE] as const)]) : values];
          }),
        )
      : file.above;
    const made: FillFile = { ...file, held: merged(file.held, this.changes.get(`${file.id}/`)), above };
    this.files.set(file.id, made);
    return made;
  }
  holder(file: FillFile, holder: HolderFacts): HolderFacts {
    const own = this.changes.get(`${file.id}/${holder.key}`);
    return own ? { ...holder, held: merged(holder.held, own) } : holder;
  }
  judged(file: FillFile, holder: HolderFacts | null, judge: () => ReadonlyMap<number, Judged>): ReadonlyMap<number, Judged> {
    const key = `${file.id}/${holder?.key ?? ''}`;
    const known = this.judgements.get(key) ?? judge();
    this.judgements.set(key, known);
    return known;
  }
}

const NONE: HeldValue = { text: '', form: 'text' };
const merged = (held: HeldBySlot, changes: ReadonlyMap<string, HeldValue | null> | undefined): HeldBySlot => {
  if (!changes) return held;
  const all = new Map(held);
  for (const [key, value] of changes)
    if (value === null) all.delete(key);
    else all.set(key, value);
  return all;
};
