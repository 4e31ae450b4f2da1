import { BomContent, Member, RowFacts, Structures, propertiesOf } from '@rule/core/bom';
import { StructureReading } from '@rule/core/files';
import { MassNode, Solid, sumMass } from '@rule/core/geometry';
import { Match } from '@rule/core/identity';
import { Property, forClass, isHeldAt, isWide, reaches, slotOf } from '@rule/core/schema';
import { HeldValue, StandIns, compileStandIns, readHeld, sameHeld, showValue } from '@rule/core/values';
import { BomValue } from '@rule/contract';
import { Masses } from '../geometry/masses';
import { Sql, asRecordset } from '../platform/db';
import { readSettings } from '../platform/settings';
import { Properties } from '../schema/properties';
import { heldFor, heldInside } from '../values/held';
import { ABOVE, BELOW, BODIES, COPY_VALUES, FINDINGS, MATCHES, PICTURED, SOLIDS } from './plans';

/** A file of an assembly's structure. */
export interface BomFile {
  readonly id: number;
  readonly path: string;
  readonly kind: 'part' | 'assembly' | 'drawing' | 'other';
  readonly hash: string;
  readonly changed: number;
  readonly classId: number | null;
  readonly className: string | null;
  readonly structure: StructureReading | null;
}

/** The same as a list, as {@link BELOW} gives it. */
type FileColumns = readonly [
  id: number,
  path: string,
  kind: BomFile['kind'],
  hash: string,
  changed: number,
  classId: number | null,
  className: string | null,
  structure: StructureReading | null,
];

interface Finding {
  readonly file: number;
  readonly holder: string;
  readonly property: number;
  readonly code: string;
  readonly message: string;
  readonly wanted: HeldValue | null;
}

/** Significant digits for comparing solids; kernel noise is far smaller. */
const SAME_DIGITS = 6;

const holderKey = (file: number, holder: string) => `${file}/${holder}`;

/** All data for the bill of materials of one assembly, read with a fixed number of statements. */
export class BomData implements RowFacts {
  readonly structures: Structures;
  readonly files: ReadonlyMap<number, BomFile>;
  private readonly matches: ReadonlyMap<string, Match>;
  readonly properties = new Map<number, Property>();
  /** Properties used in the layout but missing from the schema. */
  readonly gone: number[];
  private held = new Map<number, Record<number, HeldValue>>();
  private inside = new Map<string, Record<number, HeldValue>>();
  private above = new Map<number, HeldValue>();
  private readonly findings = new Map<string, Finding>();
  private readonly copies = new Map<string, Record<number, HeldValue>>();
  private readonly bodyLists = new Map<number, { key: string; label: string; equal: string }[]>();
  private readonly massOf = new Map<number, number | null>();
  private massNodes: ReturnType<Masses['massNodes']> | null = null;
  private readonly solids = new Map<number, { readonly bodies: readonly Solid[]; readonly pictures: number }>();
  private readonly pictured = new Set<number>();
  private readonly shown = new Map<Property, WeakMap<HeldValue, BomValue>>();

  private constructor(
    private readonly sql: Sql,
    private readonly assembly: number,
    files: readonly BomFile[],
    matches: readonly (readonly [assembly: number, product: string, match: Match])[],
    private readonly content: BomContent,
    known: ReadonlyMap<number, Property>,
    private readonly standIns: StandIns,
    private readonly densities: Parameters<Masses['computed']>[1],
  ) {
    this.files = new Map(files.map((file) => [file.id, file]));
    this.matches = new Map(matches.map(([at, product, match]) => [holderKey(at, product), match]));
    this.structures = new Structures({
      structure: (file) => this.files.get(file)?.structure ?? null,
      match: (assembly, product) => this.matches.get(holderKey(assembly, product)) ?? { state: 'unmatched' },
    });
    const asked = propertiesOf(content);
    for (const id of asked) {
      const property = known.get(id);
      if (property) this.properties.set(id, property);
    }
    this.gone = asked.filter((id) => !known.has(id));
  }

  /**
   * Reads the structure of an assembly's list; its values are read by {@link load}.
   * @param settle makes sure the files are judged, as everywhere else
   */
  static async open(
    sql: Sql,
    properties: Properties,
    assembly: number,
    content: BomContent,
    settle: (files: readonly number[]) => Promise<void>,
  ): Promise<BomData> {
    const [below, matches, known, settings] = await Promise.all([
      sql.one<{ list: FileColumns[] | null }>(BELOW, [assembly]),
      sql.one<{ list: [assembly: number, product: string, match: Match][] | null }>(MATCHES, [assembly]),
      properties.active(sql),
      readSettings(sql),
    ]);
    const files = (below?.list ?? []).map(([id, path, kind, hash, changed, classId, className, structure]): BomFile => ({
      id,
      path,
      kind,
      hash,
      changed,
      classId,
      className,
      structure,
    }));
    await settle(files.map((file) => file.id));
    return new BomData(sql, assembly, files, matches?.list ?? [], content, known, compileStandIns(settings.standIns), settings.densities);
  }

  /** Reads values: those of some members alone, or all. */
  async load(members: readonly Omit<Member, 'times'>[] | null): Promise<void> {
    const { sql, assembly } = this;
    const parts = members
      ? [...new Set(members.flatMap((member) => (member.part === null ? [] : [member.part])))]
      : [...this.files.keys()].filter((id) => id !== assembly);
    const assemblies = members
      ? [...new Set(members.map((member) => member.assembly))]
      : [...this.files.values()].filter((file) => file.structure).map((file) => file.id);
    const all = [...this.properties.values()];
    const documents = all.filter((property) => isHeldAt(property, 'document'));
    const placed = all.filter((property) => isHeldAt(property, 'occurrence'));
    const bodily = all.filter((property) => isHeldAt(property, 'body'));
    const varied = all.filter((property) => isHeldAt(property, 'variant'));
    const matched = members ? members.map(({ assembly: at, product }) => this.matches.get(holderKey(at, product))) : [...this.matches.values()];
    const withVariants = [...new Set(matched.flatMap((match) => (match?.state === 'matched' && match.variant ? [match.file] : [])))];
    const wide = all.flatMap((property) => (isWide(property.level) ? [{ property: property.id, name: property.writtenName, level: property.level }] : []));
    const shows = (fact: string) => this.content.columns.some(({ of }) => 'fact' in of && of.fact === fact);
    const slots = documents.filter((property) => property.feed === 'typed').map((property) => ({ property: property.id, ...slotOf(property) }));
    const [held, occurrences, bodyValues, variants, findings, copies, above, bodies, solids, pictured] = await Promise.all([
      heldFor(sql, parts, [...documents, ...placed]),
      placed.length ? heldInside(sql, assemblies, 'occurrence', placed) : new Map<string, Record<number, HeldValue>>(),
      this.content.bodies ? heldInside(sql, parts, 'body', bodily) : new Map<string, Record<number, HeldValue>>(),
      varied.length && withVariants.length ? heldInside(sql, withVariants, 'variant', varied) : new Map<string, Record<number, HeldValue>>(),
      sql.all<Finding>(FINDINGS, [[...parts, ...assemblies], all.map((property) => property.id)]),
      slots.length ? sql.all<{ assembly: number; product: string; property: number; held: HeldValue }>(COPY_VALUES, [assemblies, asRecordset(slots)]) : [],
      wide.length ? sql.all<{ property: number } & HeldValue>(ABOVE, [assembly, asRecordset(wide)]) : [],
      this.content.bodies ? sql.all<{ file: number; key: string; label: string }>(BODIES, [parts]) : [],
      this.content.bodies || shows('length') || shows('section') ? sql.all<{ file: number; bodies: Solid[]; pictures: number }>(SOLIDS, [parts]) : [],
      shows('picture') ? sql.all<{ file: number }>(PICTURED, [parts]) : [],
    ]);
    this.held = held;
    this.inside = new Map([...occurrences, ...bodyValues, ...variants]);
    for (const { property, ...value } of above) this.above.set(property, value);
    for (const { file } of pictured) this.pictured.add(file);
    for (const { assembly: at, product, property, held: value } of copies) {
      const key = holderKey(at, product);
      const entry = this.copies.get(key);
      if (entry) entry[property] = value;
      else this.copies.set(key, { [property]: value });
    }
    this.take(findings);
    for (const row of solids) this.solids.set(row.file, row);
    this.takeBodies(bodies, new Map(solids.map((row) => [row.file, row.bodies])), bodily);
    if (shows('mass')) await this.weigh(parts);
  }

  /** Findings: computed values, values under another name, and violations. */
  private take(findings: readonly Finding[]): void {
    for (const finding of findings) {
      const { file, holder, property, code, wanted } = finding;
      if (code === 'stale' || code === 'other-name' || code === 'unheld') {
        const at = holder === '' ? (this.held.get(file) ?? {}) : (this.inside.get(holderKey(file, holder)) ?? {});
        if (wanted) at[property] = wanted;
        else delete at[property];
        if (holder === '') this.held.set(file, at);
        else this.inside.set(holderKey(file, holder), at);
      } else {
        const key = `${holderKey(file, holder)}/${property}`;
        if (!this.findings.has(key)) this.findings.set(key, finding);
      }
    }
  }

  /** Bodies are equal if they hold the same values and, where measured, have the same volume and surface. */
  private takeBodies(
    bodies: readonly { file: number; key: string; label: string }[],
    solids: ReadonlyMap<number, readonly Solid[]>,
    properties: readonly Property[],
  ): void {
    for (const { file, key, label } of bodies) {
      const list = this.bodyLists.get(file) ?? [];
      const values = this.inside.get(holderKey(file, key)) ?? {};
      list.push({ key, label, equal: JSON.stringify(properties.map((property) => this.textOf(values[property.id] ?? null, property, null))) });
      this.bodyLists.set(file, list);
    }
    for (const [file, list] of this.bodyLists) {
      const measured = solids.get(file);
      // Solids and bodies have the same order; if their numbers differ, they cannot be paired.
      const own = measured?.length === list.length ? measured : null;
      for (const [i, body] of list.entries()) {
        const figures = own ? [own[i]!.volume, own[i]!.area].map((figure) => figure.toPrecision(SAME_DIGITS)) : [body.label];
        body.equal = `${body.equal} ${figures.join(' ')}`;
      }
    }
  }

  private async weigh(parts: readonly number[]): Promise<void> {
    const masses = new Masses(this.sql);
    const [own, nodes] = await Promise.all([masses.parts(parts), (this.massNodes ??= masses.massNodes([this.assembly]))]);
    for (const part of own) {
      const summed = part.kind === 'assembly' ? sumMass(`file:${part.id}`, (key): MassNode | undefined => nodes.get(key)) : null;
      this.massOf.set(part.id, summed ? (summed.missing.length ? null : summed.mass) : masses.computed(part, this.densities).mass);
    }
  }

  classOf = (file: number): number | null => this.files.get(file)?.classId ?? null;
  bodies = (file: number) => this.bodyLists.get(file) ?? [];
  hasPicture = (file: number): boolean => this.pictured.has(file);
  mass = (file: number): number | null => this.massOf.get(file) ?? null;

  /** Sides of the bounding box of a single-solid part or a body, longest first; `null` if not measured. */
  size(file: number, body: string | null): readonly [number, number, number] | null {
    const solids = this.solids.get(file)?.bodies ?? [];
    if (body === null) return solids.length === 1 ? (solids[0]!.size ?? null) : null;
    const list = this.bodies(file);
    return list.length === solids.length ? (solids[list.findIndex((entry) => entry.key === body)]?.size ?? null) : null;
  }
  /** Whether every body has a picture. */
  hasBodyPictures = (file: number): boolean => {
    const pictures = this.solids.get(file)?.pictures ?? 0;
    return pictures > 0 && pictures === this.bodies(file).length;
  };

  /** The owner of a member's value: the occurrence, its part, or a holder above the assembly. */
  holderOf(member: Omit<Member, 'times'>, property: Property): { readonly file: number; readonly holder: string } | null {
    if (isHeldAt(property, 'occurrence')) return { file: member.assembly, holder: member.occurrence };
    if (member.part !== null && member.variant !== null && isHeldAt(property, 'variant')) return { file: member.part, holder: member.variant };
    if (isHeldAt(property, 'document') && member.part !== null) return { file: member.part, holder: '' };
    return null;
  }

  /** A member's value of a property, as judged. */
  valueOf(member: Omit<Member, 'times'>, property: Property): HeldValue | null {
    if (this.above.has(property.id)) return this.above.get(property.id)!;
    const at = this.holderOf(member, property);
    if (!at) return null;
    if (at.holder === '') return this.held.get(at.file)?.[property.id] ?? null;
    const own = this.inside.get(holderKey(at.file, at.holder))?.[property.id] ?? null;
    return property.fallback && (own === null || own.text === '') ? this.partValue(member, property) : own;
  }
  /** The value of the part file, which a blank occurrence or variant shows. */
  private partValue = (member: Omit<Member, 'times'>, property: Property): HeldValue | null =>
    member.part === null ? null : (this.held.get(member.part)?.[property.id] ?? null);

  /** Whether an occurrence and its part hold different values of the property. */
  heldTwice(member: Omit<Member, 'times'>, property: Property): boolean {
    if (!isHeldAt(property, 'occurrence')) return false;
    const [own, part] = [this.inside.get(holderKey(member.assembly, member.occurrence))?.[property.id], this.partValue(member, property)];
    return own !== undefined && own.text !== '' && part !== null && part.text !== '' && !sameHeld(own, part);
  }

  bodyValue = (file: number, body: string, property: Property): HeldValue | null =>
    isHeldAt(property, 'body') ? (this.inside.get(holderKey(file, body))?.[property.id] ?? null) : null;

  /** What the judgement finds wrong there. */
  findingAt = (file: number, holder: string, property: number): Finding | undefined => this.findings.get(`${holderKey(file, holder)}/${property}`);

  /** Whether any copy holds values. */
  get anyCopies(): boolean {
    return this.copies.size > 0;
  }

  /** The value of the assembly's own copy where it contradicts the part file. */
  contradiction(member: Omit<Member, 'times'>, property: Property): string | null {
    if (member.part === null || !isHeldAt(property, 'document')) return null;
    const copy = this.copies.get(holderKey(member.assembly, member.product))?.[property.id];
    if (!copy || sameHeld(copy, this.valueOf(member, property))) return null;
    return copy.text;
  }

  /** Whether a property applies to a file. */
  reachedBy(file: BomFile | undefined, property: Property): boolean {
    return file === undefined || !isHeldAt(property, 'document') || reaches(property, file.kind, file.className);
  }

  private textOf(held: HeldValue | null, property: Property, className: string | null): string {
    return this.show(held, forClass(property, className)).text;
  }

  /** A held value for display, with its number if it has one. */
  show(held: HeldValue | null, property: Property): BomValue {
    if (held === null || held.text === '' || (held.form === 'text' && this.standIns.matches(held.text) && !property.choices.includes(held.text)))
      return { text: '' };
    let known = this.shown.get(property);
    if (!known) this.shown.set(property, (known = new WeakMap()));
    const before = known.get(held);
    if (before) return before;
    const parsed = readHeld(held, property);
    const cell: BomValue = !parsed.ok
      ? { text: held.text, state: 'wrong', note: parsed.problem.message }
      : typeof parsed.value === 'number'
        ? { text: showValue(parsed.value, property), number: parsed.value }
        : { text: showValue(parsed.value, property) };
    known.set(held, cell);
    return cell;
  }

  text = (member: Omit<Member, 'times'>, id: number): string => {
    const property = this.properties.get(id);
    return property ? this.show(this.valueOf(member, property), property).text : '';
  };
  amount = (member: Omit<Member, 'times'>, id: number): number | null => {
    const property = this.properties.get(id);
    return property ? (this.show(this.valueOf(member, property), property).number ?? null) : null;
  };
}
