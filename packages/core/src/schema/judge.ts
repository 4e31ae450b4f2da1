import { CompiledRule, CompiledTests, FeelContext, FeelValue, Host, RuleProblem, compileRule, compileTests, contextOf, orderOf } from '../rules';
import { HeldValue, StandIns, heldText, readHeld, showValue } from '../values';
import { Violation, judge } from './constraints';
import { InnerLevel, Kind, Property, PropertyLevel, WideLevel, forClass, inherits, isHeldAt, isWide, reaches, ruleNameOf, slotOf } from './property';
import { Binding, familyOf, homeCell, homeCells, onBlock, withHomes, withLeads } from './mapping';
import { Check, Schema } from './schema';
import { feelType, feelValue, ruleScope } from './scope';
import {
  ModelFacts,
  SchemaProblem,
  JudgeGround,
  FileFacts,
  slotKey,
  FileJudgement,
  Failed,
  HolderFacts,
  HeldBySlot,
  Judged,
  Origin,
  SheetFacts,
} from './facts';
import { sameValue, ruledValue } from './same-value';
import { areaOn, scaleText } from './sheet-facts';

interface Prepared {
  readonly property: Property;
  readonly rule: CompiledRule | null;
  readonly requiredWhen: CompiledRule | null;
  readonly allowed: ReadonlyMap<string, CompiledTests>;
}

const GROUPS = ['model', 'project', 'drawing set', 'assembly', 'part', 'document'] as const;
const GEOMETRY_NAMES = { 'geometry mass': 'mass', 'geometry volume': 'volume', 'geometry material': 'material' } as const;

/** Units of {@link ModelFacts}. */
const FACT_UNIT: Readonly<Record<keyof ModelFacts, string | null>> = {
  mass: 'kg',
  volume: 'm³',
  area: 'm²',
  density: 'kg/m³',
  length: 'm',
  width: 'm',
  height: 'm',
  material: null,
};

/**
 * A schema ready for judging: expressions compiled, computed values in dependency order. Values in cycles are not computed; see {@link
 * problems}.
 */
export class PreparedSchema {
  readonly problems: readonly SchemaProblem[];
  private readonly prepared: readonly Prepared[];
  private readonly byKind: ReadonlyMap<Kind, readonly Prepared[]>;
  private readonly checks: readonly { readonly check: Check; readonly condition: CompiledRule }[];
  /** Properties a property's expressions read, in its own holder or a group. */
  readonly looksAt: ReadonlyMap<number, ReadonlySet<number>>;
  /** Judged properties; `null` for all. */
  readonly judged: ReadonlySet<number> | null = null;
  /** Reported properties; others are judged as dependencies. `null` for all. */
  private readonly told: ReadonlySet<number> | null = null;
  /** Names expressions read, in the own holder and per group. */
  private readonly needed = new Map<string, Set<string>>();
  private readonly active: readonly Property[];
  private readonly byRuleName: ReadonlyMap<string, Property>;

  /** The schema with home cells resolved. */
  readonly schema: Schema;
  /** Sheet properties by block family. */
  private readonly byFamily = new Map<string, readonly Prepared[]>();

  constructor(
    schema: Schema,
    private readonly ground: JudgeGround,
  ) {
    this.schema = schema = { ...schema, properties: withLeads(withHomes(schema.properties, schema.bindings), schema.links) };
    const problems: SchemaProblem[] = [];
    this.active = schema.properties.filter((property) => !property.retired);
    this.byRuleName = new Map(this.active.map((property) => [ruleNameOf(property), property]));
    const stored = ruleScope(this.active, { clock: false });
    const conditions = ruleScope(this.active, { clock: true });
    const compiled = <T>(
      parsed: { ok: true; value: T } | { ok: false; problems: readonly RuleProblem[] },
      property: Property | null,
      check: Check | null,
      what: string,
    ): T | null => {
      if (parsed.ok) return parsed.value;
      const problem = parsed.problems[0]!;
      problems.push({ property: property?.id ?? null, check: check?.id ?? null, message: `${what}: ${problem.message}`, problem });
      return null;
    };
    const list = this.active.map((property): Prepared => {
      const tests = new Map<string, CompiledTests>();
      for (const text of [property.allowed, ...property.overrides.map((override) => override.allowed ?? '')]) {
        if (text.trim() === '' || tests.has(text)) continue;
        const ready = compiled(compileTests(text, { ...conditions, input: feelType(property) }), property, null, `${property.caption}, allowed values`);
        if (ready) tests.set(text, ready);
      }
      return {
        property,
        rule: property.feed === 'ruled' ? compiled(compileRule(property.rule, stored), property, null, `The rule of ${property.caption}`) : null,
        requiredWhen: property.requiredWhen.trim()
          ? compiled(compileRule(property.requiredWhen, conditions), property, null, `${property.caption}, required when`)
          : null,
        allowed: tests,
      };
    });
    this.checks = schema.checks.flatMap((check) => {
      const condition = compiled(compileRule(check.condition, conditions), null, check, `The check ${check.title}`);
      return condition ? [{ check, condition }] : [];
    });
    for (const { rule, requiredWhen, allowed } of list) for (const each of [rule, requiredWhen, ...allowed.values()]) this.need(each);
    for (const { condition } of this.checks) this.need(condition);
    const ids = (uses: CompiledRule['uses']) => uses.flatMap((use) => this.byRuleName.get(use.name)?.id ?? []);
    this.looksAt = new Map(
      list.map(({ property, rule, requiredWhen, allowed }) => {
        const looked = new Set([rule, requiredWhen, ...allowed.values()].flatMap((each) => ids(each?.uses ?? [])));
        const by = this.active.find((other) => other.writtenName === property.narrowedBy);
        if (by) looked.add(by.id);
        return [property.id, looked] as const;
      }),
    );

    const { order, circles } = orderOf(
      list
        .filter(({ rule }) => rule !== null)
        .map(({ property, rule }) => ({
          key: property.id,
          needs: rule!.uses.filter((use) => use.group === null).flatMap((use) => this.byRuleName.get(use.name)?.id ?? []),
        })),
    );
    for (const circle of circles) {
      const names = circle.map((id) => this.active.find((property) => property.id === id)!.caption);
      for (const id of circle)
        problems.push({ property: id, check: null, message: `The rules depend on each other in a circle: ${[...names, names[0]].join(' → ')}.` });
    }
    const place = new Map(order.map((id, i) => [id, i]));
    const rank = ({ property, rule }: Prepared) => (rule === null ? -1 : (place.get(property.id) ?? -2));
    // Members of cycles are judged as held, without a rule.
    this.prepared = list.map((entry) => (entry.rule && !place.has(entry.property.id) ? { ...entry, rule: null } : entry)).sort((a, b) => rank(a) - rank(b));
    this.byKind = new Map(
      (['part', 'assembly', 'drawing', 'other'] as const).map((kind) => [
        kind,
        this.prepared.filter(({ property }) => property.kinds.includes(kind) && isHeldAt(property, 'document')),
      ]),
    );
    this.problems = problems;
  }

  /** Checks that read any of some properties. */
  checksOf(properties: ReadonlySet<number>): Set<number> {
    return new Set(
      this.checks.filter(({ condition }) => condition.uses.some((use) => properties.has(this.byRuleName.get(use.name)?.id ?? 0))).map(({ check }) => check.id),
    );
  }

  /** The same schema limited to some properties and checks and their dependencies. */
  only(properties: ReadonlySet<number>, checks: ReadonlySet<number>): PreparedSchema {
    const judged = new Set(properties);
    const kept = this.checks.filter(({ check }) => checks.has(check.id));
    for (const { condition } of kept) for (const use of condition.uses) judged.add(this.byRuleName.get(use.name)?.id ?? 0);
    for (const id of judged) for (const looked of this.looksAt.get(id) ?? []) judged.add(looked);
    const view = Object.create(PreparedSchema.prototype) as PreparedSchema;
    const byKind = new Map([...this.byKind].map(([kind, list]) => [kind, list.filter(({ property }) => judged.has(property.id))] as const));
    return Object.assign(view, this, { byKind, checks: kept, judged, told: properties, documents: new WeakMap() });
  }

  /** A copy that {@link need} may extend: the compiled original is shared. */
  copy(): PreparedSchema {
    const own = Object.create(PreparedSchema.prototype) as PreparedSchema;
    const needed = new Map([...this.needed].map(([group, names]) => [group, new Set(names)] as const));
    return Object.assign(own, this, { needed, documents: new WeakMap() });
  }

  /** Stand-ins used for judging. */
  get standIns(): StandIns {
    return this.ground.standIns;
  }

  /** Groups any expression reads; others need not be loaded. */
  get uses(): ReadonlySet<string> {
    return new Set(this.needed.keys());
  }

  /** Whether any expression reads one of some names, in any group. */
  looksAtName(...names: readonly string[]): boolean {
    return [...this.needed.values()].some((needed) => names.some((name) => needed.has(name)));
  }

  /** Prepares the reads of an outside expression. */
  need(rule: { readonly uses: CompiledRule['uses'] } | null): void {
    this.documents = new WeakMap();
    const add = (group: string, name: string) => this.needed.set(group, (this.needed.get(group) ?? new Set<string>()).add(name));
    for (const { group, name } of rule?.uses ?? []) {
      add(group ?? '', name);
      // Wider holders' values have plain names, and are prepared too.
      const level = group === null ? this.byRuleName.get(name)?.level : undefined;
      if (level && isWide(level)) add(level, name);
    }
  }

  /** Properties whose computed values depend on others, in the same holder or across a group. */
  dependents(): { readonly key: number; readonly needs: readonly { readonly group: string | null; readonly property: number }[] }[] {
    return this.prepared.flatMap(({ property, rule }) => {
      const needs = (rule?.uses ?? []).flatMap((use) => {
        const found = this.byRuleName.get(use.name);
        return found ? [{ group: use.group ?? (isWide(found.level) ? found.level : null), property: found.id }] : [];
      });
      if (property.feed === 'inherited' && property.inheritFrom) needs.push({ group: property.inheritFrom, property: property.id });
      return needs.length || rule ? [{ key: property.id, needs }] : [];
    });
  }

  /** A property's held value and the name it is under. */
  private holding(file: FileFacts, property: Property): { held: HeldValue | null; otherName?: string; other?: HeldValue } {
    const slot = slotOf(property, file.kind);
    const held =
      slot.place === 'field' && slot.name === 'file name'
        ? ({ text: file.name, form: 'text' } as const)
        : (file.held.get(slotKey(slot.place, slot.name)) ?? null);
    if (held !== null && held.text !== '') return { held };
    for (const spelling of property.knownSpellings) {
      const other = file.held.get(slotKey('property', spelling));
      if (other && other.text !== '') return { held, otherName: spelling, other };
    }
    return { held };
  }

  private typed(held: HeldValue | null, property: Property): FeelValue {
    if (held === null || held.text === '') return null;
    if (held.form === 'text' && this.ground.standIns.matches(held.text) && !property.choices.includes(held.text)) return null;
    const parsed = readHeld(held, property);
    return parsed.ok ? feelValue(parsed.value, property) : null;
  }

  private group(file: FileFacts | null, names: ReadonlySet<string>, more: readonly (readonly [string, FeelValue])[] = []): FeelContext | null {
    if (file === null) return null;
    const entries: (readonly [string, FeelValue])[] = [...more];
    for (const name of names) {
      const fact = GEOMETRY_NAMES[name as keyof typeof GEOMETRY_NAMES];
      if (fact) entries.push([name, file.geometry?.[fact] ?? null]);
      const property = this.byRuleName.get(name);
      if (property) {
        const { held, other } = this.holding(file, property);
        entries.push([name, this.typed(other ?? held, property)]);
      }
    }
    return contextOf(entries);
  }

  /** What expressions about a file can read before computation. For inner holders `around` gives the file and the part. */
  namesFor(file: FileFacts, around: { readonly document: FileFacts; readonly part: FileFacts | null } | null = null): Record<string, FeelValue> {
    const names = Object.create(null) as Record<string, FeelValue>;
    for (const group of GROUPS) {
      const needed = this.needed.get(group);
      if (!needed) continue;
      if (group === 'model') names[group] = this.group(file.model, needed);
      else if (group === 'document') names[group] = this.group(around?.document ?? file, needed);
      else if (group === 'assembly') names[group] = around?.document.kind === 'assembly' ? this.group(around.document, needed) : null;
      else if (group === 'part') names[group] = this.group(around?.part ?? null, needed);
      else if (group === 'project' || group === 'drawing set') {
        const above = file.above[group];
        names[group] = above
          ? contextOf(
              [...needed].flatMap((name) => {
                const property = this.byRuleName.get(name);
                return property ? [[name, this.typed(above.get(property.writtenName) ?? null, property)] as const] : [];
              }),
            )
          : null;
      } else names[group] = null;
    }
    this.nameWider(names, file, around?.document ?? null);
    const parts = this.needed.get('parts');
    if (parts) names['parts'] = file.parts.map((part) => this.group(part.file, parts, [['quantity', part.quantity]]));
    if (this.needed.has('file'))
      names['file'] = contextOf([
        ['name', file.name],
        ['folder', file.folder],
        ['kind', file.kind],
        ['class', file.className],
        ['state', file.state],
        ['product id', file.held.get('field/product id')?.text ?? null],
        ['author', file.held.get('field/author')?.text ?? null],
        ['geometry mass', file.geometry?.mass ?? null],
        ['geometry volume', file.geometry?.volume ?? null],
        ['geometry material', file.geometry?.material ?? null],
      ]);
    return names;
  }

  /** Wider holders' values by plain name: company, project and drawing set, and inside a file the file's. */
  private nameWider(names: Record<string, FeelValue>, file: FileFacts, document: FileFacts | null): void {
    for (const name of this.needed.get('') ?? []) {
      const property = this.byRuleName.get(name);
      if (!property) continue;
      if (isWide(property.level)) names[name] = this.typed(file.above[property.level]?.get(property.writtenName) ?? null, property);
      else if (document && isHeldAt(property, 'document')) names[name] = this.documentNames(document)[name] ?? null;
    }
  }

  /** A file's own values including computed ones; cached while its inner holders are judged. */
  private documentNames(document: FileFacts): Readonly<Record<string, FeelValue>> {
    const known = this.documents.get(document);
    if (known) return known;
    const names = this.namesFor(document);
    this.judgeNamed(document, names);
    this.documents.set(document, names);
    return names;
  }
  private documents = new WeakMap<FileFacts, Readonly<Record<string, FeelValue>>>();

  /** Everything expressions about a file can read after computation: groups and own values. */
  ownNames(file: FileFacts): Record<string, FeelValue> {
    const names = this.namesFor(file);
    for (const { property, value } of this.judge(file).values.values()) names[ruleNameOf(property)] = this.typed(value, property);
    return names;
  }

  /** Evaluation environment. */
  host(): Host {
    return { instant: this.ground.instant, ...(this.ground.lookup ? { lookup: this.ground.lookup } : {}) };
  }

  /** Judges a file. Uniqueness concerns the library and is judged elsewhere. */
  judge(file: FileFacts): FileJudgement {
    return this.judgeNamed(file, this.namesFor(file));
  }

  /** The same, also returning the names with the values read. */
  private judgeNamed(file: FileFacts, names: Record<string, FeelValue>): FileJudgement {
    const host = this.host();
    const values = this.judgeList(file, this.byKind.get(file.kind)!, 'document', names, host, (prepared, own) =>
      this.value(file, own, prepared, names, { ...host, instant: null }, 'document'),
    );
    const failed: Failed[] = [];
    for (const { check, condition } of this.checks) {
      if (!reaches(check, file.kind, file.className)) continue;
      const outcome = condition.evaluate(names, host);
      if (!outcome.ok) failed.push({ check, message: `${check.title}: ${outcome.message}` });
      else if (outcome.value === false) failed.push({ check, message: check.message });
    }
    return { values, failed };
  }

  /** Judges a variant, body, occurrence or sheet. */
  judgeHolder(file: FileFacts, holder: HolderFacts): FileJudgement['values'] {
    const inner: FileFacts = {
      ...file,
      held: holder.held,
      geometry: null,
      sheets: holder.sheet ? [holder.sheet] : [],
      model: holder.model === undefined ? file.model : holder.model,
    };
    const names = this.namesFor(inner, { document: file, part: holder.part });
    const host = this.host();
    const list = (holder.level === 'sheet' ? this.onSheet(familyOf(holder.label)) : this.at(holder.level)).filter(({ property }) => {
      const slot = slotOf(property, file.kind);
      // A sheet has the properties its title block has cells for.
      return property.kinds.includes(file.kind) && (slot.place !== 'cell' || holder.held.has(slotKey(slot.place, slot.name)));
    });
    const behind = holder.level === 'variant' ? file : holder.level === 'occurrence' ? holder.part : null;
    return this.judgeList(inner, list, holder.level, names, host, (prepared, own) => {
      const one = this.value(inner, own, prepared, names, { ...host, instant: null }, holder.level);
      // A sheet stores values only in title block cells; others are shown but not written.
      if (holder.level === 'sheet' && slotOf(own, file.kind).place !== 'cell' && one.derived !== undefined) {
        const { derived: _, ...rest } = one;
        void _;
        return { ...rest, unheld: true, cell: { ...one.cell, violations: one.cell.violations.filter((violation) => violation.code !== 'stale') } };
      }
      if (!own.fallback || !behind || one.derived !== undefined || one.cell.state !== 'blank') return one;
      const { held, other } = this.holding(behind, own);
      const value = other ?? held;
      return value === null || value.text === '' ? one : { ...one, value, origin: 'fallback', cell: judge(value, own, this.ground.standIns) };
    });
  }

  /** Everything expressions about an inner holder can read after computation. */
  holderNames(file: FileFacts, holder: HolderFacts): Record<string, FeelValue> {
    const names = this.namesFor({ ...file, held: holder.held }, { document: file, part: holder.part });
    for (const { property, value } of this.judgeHolder(file, holder).values()) names[ruleNameOf(property)] = this.typed(value, property);
    return names;
  }

  /** Judges company, project and drawing set values, each with the levels above. */
  judgeWide(level: WideLevel, held: HeldBySlot, above: FileFacts['above'] = {}): FileJudgement['values'] {
    const file: FileFacts = { id: 0, kind: 'other', className: null, state: null, name: '', folder: '', held, geometry: null, model: null, parts: [], above };
    const names = this.namesFor(file);
    const host = this.host();
    return this.judgeList(file, this.at(level), level, names, host, (prepared, own) =>
      this.value(file, { ...own, homes: {} }, prepared, names, { ...host, instant: null }, level),
    );
  }

  /** Properties held at a level. */
  private at(level: PropertyLevel): readonly Prepared[] {
    return this.prepared.filter(({ property }) => isHeldAt(property, level) && this.judged?.has(property.id) !== false);
  }

  /** Sheet properties with their home cells in a block family. */
  private onSheet(family: string): readonly Prepared[] {
    let known = this.byFamily.get(family);
    if (!known) {
      const bindings: readonly Binding[] = this.schema.bindings;
      known = this.prepared
        .filter(({ property }) => property.level === 'sheet')
        // What people type is on the sheets whose blocks have a cell for it; what is worked out is shown everywhere.
        .filter(({ property: { id, feed } }) => {
          const typed = feed === 'typed' || feed === 'counted';
          return !typed || homeCell(bindings, id, family) !== null || homeCells(bindings, id).length === 0;
        })
        .map((prepared) => ({ ...prepared, property: onBlock(prepared.property, bindings, family) }));
      this.byFamily.set(family, known);
    }
    return this.judged ? known.filter(({ property }) => this.judged!.has(property.id)) : known;
  }

  /** Whether any property is held at an inner level. */
  hasLevel(level: InnerLevel): boolean {
    return this.active.some((property) => property.level === level);
  }

  private judgeList(
    file: FileFacts,
    list: readonly Prepared[],
    level: PropertyLevel,
    names: Record<string, FeelValue>,
    host: Host,
    valueOf: (prepared: Prepared, own: Property) => Judged,
  ): Map<number, Judged> {
    const values = new Map<number, Judged>();
    const own = this.needed.get('');
    const judged: Prepared[] = [];
    for (const prepared of list) {
      const property = forClass(prepared.property, file.className);
      const name = ruleNameOf(property);
      if (!isWide(level) && !reaches(property, file.kind, file.className)) continue;
      const one = valueOf(prepared, property);
      if (own?.has(name)) names[name] = this.typed(one.value, property);
      values.set(property.id, one);
      if (this.told?.has(property.id) !== false) judged.push(prepared);
    }
    for (const prepared of judged) {
      const one = values.get(prepared.property.id)!;
      const violations = [...one.cell.violations, ...this.more(file, one, prepared, names, host)];
      if (violations.length !== one.cell.violations.length) values.set(prepared.property.id, { ...one, cell: { ...one.cell, violations } });
    }
    if (this.told) for (const id of [...values.keys()]) if (!this.told.has(id)) values.delete(id);
    return values;
  }

  private value(file: FileFacts, property: Property, prepared: Prepared, names: FeelContext, host: Host, level: PropertyLevel): Judged {
    const { held, otherName, other } = this.holding(file, property);
    const { standIns } = this.ground;
    const asHeld = (): Judged => {
      const value = other ?? held;
      const cell = judge(value, property, standIns);
      if (otherName === undefined) return { property, held, value, origin: value === null ? 'nowhere' : 'held', cell };
      const violations: Violation[] = [...cell.violations, { code: 'other-name', message: `stands under ${JSON.stringify(otherName)}` }];
      return { property, held, value, origin: 'another name', otherName, cell: { ...cell, violations } };
    };
    const derive = (given: HeldValue | null, origin: Origin, failure?: string): Judged => {
      const derived = slotOf(property, file.kind).place === 'cell' ? asCellText(given, property) : given;
      const cell = judge(derived, property, standIns);
      const current = held?.text === '' ? null : held;
      const stale: Violation[] = sameValue(current, derived, property)
        ? []
        : [
            {
              code: 'stale',
              message:
                derived === null
                  ? `holds ${JSON.stringify(current!.text)} but should be blank`
                  : current === null
                    ? `is not written yet; it should be ${JSON.stringify(shownText(derived))}`
                    : `holds ${JSON.stringify(shownText(current))} but should be ${JSON.stringify(shownText(derived))}`,
            },
          ];
      const wrong: Violation[] = failure === undefined ? [] : [{ code: 'rule', message: failure }];
      return {
        property,
        held,
        value: derived,
        origin,
        derived,
        ...(failure === undefined ? {} : { failure }),
        cell: { ...cell, violations: [...wrong, ...cell.violations, ...stale] },
      };
    };
    if (prepared.rule) {
      const outcome = prepared.rule.evaluate(names, host);
      if (!outcome.ok) return derive(null, 'ruled', outcome.message);
      const { value, failure } = ruledValue(outcome.value, property);
      return derive(value, 'ruled', failure);
    }
    if (property.feed === 'inherited' && property.inheritFrom !== level && inherits(property, file.kind)) {
      const own = property.mayOverride && held !== null && held.text !== '';
      const from = property.inheritFrom === 'model' ? file.model : null;
      if (own || (property.inheritFrom === 'model' && !from)) return asHeld();
      if (from) {
        const above = this.holding(from, property);
        return derive(above.other ?? above.held, 'inherited');
      }
      const above = property.inheritFrom !== 'model' && property.inheritFrom !== null ? file.above[property.inheritFrom] : undefined;
      return above ? derive(above.get(property.writtenName) ?? null, 'inherited') : asHeld();
    }
    if (property.feed === 'model' && property.modelFact && file.geometry) {
      const fact = file.geometry[property.modelFact];
      if (fact === null) return asHeld();
      const given = factValue(fact, property, FACT_UNIT[property.modelFact]);
      return derive(isNear(held, given, property) ? held : given, 'model');
    }
    const sheet = property.feed === 'sheet' ? file.sheets?.[0] : undefined;
    if (sheet) {
      const fact = sheetFact(sheet, property);
      return fact === null ? asHeld() : derive(factValue(fact, property, property.sheetFact === 'closed area' ? 'm²' : null), 'sheet');
    }
    return asHeld();
  }

  /** Problems of a value in context. */
  private more(file: FileFacts, one: Judged, prepared: Prepared, names: FeelContext, host: Host): Violation[] {
    const { property, cell } = one;
    const found: Violation[] = [];
    const missing = cell.state === 'blank' || cell.state === 'stand-in';
    if (missing && !property.required) {
      const { states } = this.ground;
      const due =
        property.requiredFrom !== '' &&
        file.state !== null &&
        states.indexOf(file.state) >= states.indexOf(property.requiredFrom) &&
        states.includes(property.requiredFrom);
      if (due) found.push({ code: 'required', message: `is required from state ${property.requiredFrom}` });
      else if (prepared.requiredWhen) {
        const outcome = prepared.requiredWhen.evaluate(names, host);
        if (outcome.ok && outcome.value === true) found.push({ code: 'required', message: `is required when ${property.requiredWhen}` });
      }
    }
    if (cell.state !== 'value') return found;
    if (property.allowed.trim() !== '') {
      const outcome = prepared.allowed.get(property.allowed)?.allows(feelValue(cell.value, property), names, host);
      if (outcome && (!outcome.ok || outcome.value !== true)) found.push({ code: 'not-allowed', message: `must be ${property.allowed}` });
    }
    if (property.narrowedBy !== null && property.list !== null && typeof cell.value === 'string') {
      const by = this.active.find((other) => other.writtenName === property.narrowedBy);
      const value = by ? this.typed(this.holding(file, by).held, by) : null;
      const allowed = typeof value === 'string' ? (this.ground.narrowed?.(property.list, value) ?? null) : null;
      if (allowed && !allowed.includes(cell.value))
        found.push({
          code: 'not-a-choice',
          message: `${JSON.stringify(cell.value)} does not go with ${by!.caption} ${typeof value === 'string' ? value : ''}`,
        });
    }
    return found;
  }

  /** A property's compiled rule, for explanations. */
  ruleOf(property: number): CompiledRule | null {
    return this.prepared.find((entry) => entry.property.id === property)?.rule ?? null;
  }
}

/** Tolerance for rounded densities and tables, as for written masses. */
const NEAR = 5e-4;

/** Whether a held number equals the model's, within rounding. */
function isNear(held: HeldValue | null, given: HeldValue | null, property: Property): boolean {
  if (held === null || given === null || held.text === '' || property.type !== 'number') return false;
  const [one, other] = [readHeld(held, property), readHeld(given, property)];
  if (!one.ok || !other.ok) return false;
  return Math.abs((one.value as number) - (other.value as number)) <= NEAR * Math.abs(other.value as number);
}

/** A held value with unit, for messages. */
const shownText = (held: HeldValue): string => (held.unit ? `${held.text} ${held.unit}` : held.text);

/** A value as text in its home cell. */
function asCellText(held: HeldValue | null, property: Property): HeldValue | null {
  if (held === null || held.text === '') return null;
  const parsed = readHeld(held, property);
  return heldText(parsed.ok ? showValue(parsed.value, property) : held.text);
}

/** A sheet fact for a property; a number if the property is numeric. */
function sheetFact(sheet: SheetFacts, property: Property): number | string | null {
  if (property.sheetFact === 'sheet size') return sheet.size;
  if (property.sheetFact === 'closed area') return property.sheetArea ? areaOn(sheet, property.sheetArea) : null;
  if (sheet.scale === null) return null;
  return property.type === 'number' ? sheet.scale : scaleText(sheet.scale);
}

/** A model or sheet fact in the property's unit and decimals. */
function factValue(fact: number | string, property: Property, unit: string | null): HeldValue | null {
  if (typeof fact === 'string') return fact === '' ? null : { text: fact, form: 'text' };
  const parsed = readHeld({ text: String(fact), form: 'measure', ...(unit ? { unit } : {}) }, { type: 'number', unit: property.unit ?? unit });
  if (!parsed.ok) return null;
  return ruledValue(parsed.value, property).value;
}
