import { FIT_STEPS, FitRule } from '../lettering';
import { NUMBER_FORMS } from '../values';
import { INNER_LEVELS, KINDS, Kind, Led, Property, Slot, WideLevel, isHeldAt, isWide, slotOf } from './property';

/** Source of a property in a cell: the drawing, its sheet, the sheet's model, or a level above files. */
export const CELL_SOURCES = ['drawing', 'sheet', 'model', 'drawing set', 'project', 'company'] as const;
export type CellSource = (typeof CELL_SOURCES)[number];

/** Facts of a sheet, its file or its model. */
export const CELL_FACTS = [
  'file name',
  'sheet name',
  'sheet number',
  'number of sheets',
  'sheet number in set',
  'number of sheets in set',
  'scale',
  'sheet size',
  'model file name',
  'date made',
  'date saved',
  'outline area',
  'outline length',
  'view scale',
] as const;
export type CellFact = (typeof CELL_FACTS)[number];

/** Facts that are measured on closed outlines of the drawing. */
export const OUTLINE_FACTS = ['outline area', 'outline length'] as const satisfies readonly CellFact[];

export const isOutlineFact = (fact: CellFact): fact is (typeof OUTLINE_FACTS)[number] => (OUTLINE_FACTS as readonly string[]).includes(fact);

/** Which outlines count: the smallest around the block, all that its view shows, or all of the drawing. */
export const OUTLINES_OF = ['around the cell', 'in its view', 'of the drawing'] as const;

/** The outlines that are measured for a cell. */
export interface OutlineRule {
  readonly of: (typeof OUTLINES_OF)[number];
  /** Layer of the outlines, case-insensitive; empty for any layer around the cell. */
  readonly layer: string;
  /** Whether outlines nested on the layer are holes: their area is subtracted, their length belongs to the boundary. */
  readonly holes: boolean;
  /** Unit of drawings that state none. */
  readonly unit?: string;
}

export const PLAIN_OUTLINES: OutlineRule = { of: 'around the cell', layer: '', holes: true };

/** Letter case in a cell. */
export const CELL_LETTERS = ['as they are', 'capitals', 'small letters'] as const;

/** Scale format: ratio, or lengths on paper and in feet. */
export const SCALE_FORMS = ['ratio', 'inches to a foot'] as const;

/** Scale of a sheet with differing views: that of most views, of the largest, or a fixed text. */
export const SCALE_RULES = ['of most views', 'of the largest view', 'words'] as const;

/** How a scale is written. */
export interface ScaleForm {
  readonly as: (typeof SCALE_FORMS)[number];
  readonly rule: (typeof SCALE_RULES)[number];
  /** Text for differing views: `as shown`. */
  readonly words: string;
}

export const PLAIN_SCALE: ScaleForm = { as: 'ratio', rule: 'of most views', words: 'as shown' };

/** Formatting in a cell; the property's own where absent. */
export interface CellForm {
  readonly letters: (typeof CELL_LETTERS)[number];
  /** Whether the unit follows the number. */
  readonly unit: boolean;
  /** Decimals. */
  readonly decimals?: number;
  /** Display unit. */
  readonly inUnit?: string;
  readonly decimalSign?: 'point' | 'comma';
  /** Decimals, or fractions of an inch with or without feet, to a part of an inch. */
  readonly number?: (typeof NUMBER_FORMS)[number];
  readonly denominator?: number;
  /** Date format of `YYYY`, `YY`, `MM`, `MMM`, `DD` and separators. */
  readonly date?: string;
  /** Language code of month names. */
  readonly language?: string;
  readonly person?: 'full' | 'short' | 'initials';
  readonly scale?: ScaleForm;
  readonly outlines?: OutlineRule;
}

export const PLAIN_CELL: CellForm = { letters: 'as they are', unit: false };

/** Whether the format leaves values unchanged. */
export const isPlainForm = ({ letters, unit, ...more }: CellForm): boolean => letters === 'as they are' && !unit && Object.keys(more).length === 0;

/** A piece of a cell's content: fixed text, property or fact. */
export type CellPiece =
  | { readonly words: string }
  | { readonly property: number; readonly from: CellSource; readonly form: CellForm }
  | { readonly fact: CellFact; readonly form: CellForm };

/** Content of a cell in a block family. */
export interface Binding {
  readonly id: number;
  /** Block name, case-insensitive; `null` for every block with the cell. */
  readonly block: string | null;
  /** Exact tag. */
  readonly cell: string;
  readonly shows: readonly CellPiece[];
  /** Whether the cell is the home of its single property: edits in the drawing are read, and edits in Rule are written there. */
  readonly leads: boolean;
  /** Rule for text that does not fit; the default if absent. */
  readonly fit?: FitRule;
}

/** When values pass in one direction. */
export const PASSES = ['always', 'when blank', 'never'] as const;
export type Passes = (typeof PASSES)[number];

/** What happens if file and record both changed since they last agreed. */
export const CLASHES = ['ask', "take the file's", "take the record's"] as const;
export type OnClash = (typeof CLASHES)[number];

/** An end of a link: a property by id, of the file or the drawing's model; or a name outside the schema. */
export type LinkEnd = { readonly property: number; readonly of?: 'model' } | { readonly place: 'property' | 'field'; readonly name: string };

/** Directions of a link. */
export interface Passing {
  /** File to record. */
  readonly in: Passes;
  /** Record to file. */
  readonly out: Passes;
  readonly onClash: OnClash;
}

/** A link between a record field and addresses in some kinds of files. */
export interface Link extends Passing {
  readonly id: number;
  readonly field: string;
  /** Kinds and classes; all classes if empty. */
  readonly kinds: readonly Kind[];
  readonly classes: readonly string[];
  /** The first address with a value supplies it; record values go there, or to the first if none has one. */
  readonly at: readonly LinkEnd[];
  /** Directions in particular workflow states. */
  readonly states: readonly ({ readonly state: string } & Passing)[];
  /** The workflow step that sets the field; `null` for none. Such fields pass only from the record. */
  readonly step: string | null;
}

/** Whether a link applies to a kind and class. */
export const linkReaches = ({ kinds, classes }: Pick<Link, 'kinds' | 'classes'>, kind: string, className: string | null): boolean =>
  kinds.includes(kind as Kind) && (classes.length === 0 || (className !== null && classes.includes(className)));

/** A link's directions in a workflow state. */
export const passingAt = (link: Pick<Link, 'states'> & Passing, state: string | null): Passing => link.states.find((entry) => entry.state === state) ?? link;

/** Whether only the record supplies the value. */
export const recordLeads = ({ in: into, out }: Passing): boolean => into === 'never' && out === 'always';

/** Whether only the file supplies the value. */
export const fileLeads = ({ in: into, out }: Passing): boolean => into === 'always' && out === 'never';

/** A block family's key: block names are case-insensitive. */
export const familyOf = (block: string): string => block.trim().toLowerCase();

/** The binding of a cell; one for its block takes precedence. */
export const bindingOf = <B extends Pick<Binding, 'block' | 'cell'>>(bindings: readonly B[], family: string, cell: string): B | undefined =>
  bindings.find((binding) => binding.block !== null && binding.cell === cell && familyOf(binding.block) === family) ??
  bindings.find((binding) => binding.block === null && binding.cell === cell);

/** The property whose home the cell is; `null` for none. */
export function ledBy(binding: Pick<Binding, 'leads' | 'shows'> | undefined): number | null {
  const [piece] = binding?.leads ? binding.shows : [];
  return piece && 'property' in piece ? piece.property : null;
}

/** The home cell of a property in a block family; `null` for none. */
export function homeCell(bindings: readonly Binding[], property: number, family: string): string | null {
  const leading = bindings.filter((binding) => ledBy(binding) === property);
  return leading.find((binding) => bindingOf(bindings, family, binding.cell) === binding)?.cell ?? null;
}

/** A property as a sheet with this block holds it: its home is the cell, if any. */
export function onBlock<P extends Property>(property: P, bindings: readonly Binding[], family: string): P {
  const cell = homeCell(bindings, property.id, family);
  if (cell === null && property.homes.drawing?.place !== 'cell') return property;
  const { drawing: _, ...homes } = property.homes;
  void _;
  return { ...property, homes: cell === null ? homes : { ...homes, drawing: { place: 'cell', name: cell } } };
}

/** Properties with home cells. If blocks have different cells, see {@link onBlock}. */
export function withHomes<P extends Property>(properties: readonly P[], bindings: readonly Binding[]): P[] {
  const cells = new Map<number, string>();
  for (const binding of bindings) {
    const property = ledBy(binding);
    if (property !== null && !cells.has(property)) cells.set(property, binding.cell);
  }
  return properties.map((property) => {
    const cell = cells.get(property.id);
    return cell === undefined ? property : { ...property, homes: { ...property.homes, drawing: { place: 'cell', name: cell } } };
  });
}

/** All home cells of a property, in any block. */
export const homeCells = (bindings: readonly Binding[], property: number): string[] => [
  ...new Set(bindings.filter((binding) => ledBy(binding) === property).map((binding) => binding.cell)),
];

/** Sources of a property for a cell, most natural first; none if its values are inside other files. */
export function sourcesOf(property: Pick<Property, 'level' | 'kinds' | 'feed' | 'inheritFrom'>): CellSource[] {
  if (property.level === 'sheet') return ['sheet'];
  if (isWide(property.level)) return [property.level];
  if (!isHeldAt(property, 'document')) return [];
  const above: WideLevel[] = (['drawing set', 'project', 'company'] as const).filter((level) => isHeldAt(property, level));
  return [
    ...(property.kinds.some((kind) => kind !== 'drawing') ? (['model'] as const) : []),
    ...(property.kinds.includes('drawing') ? (['drawing'] as const) : []),
    ...above,
  ];
}

/** An address in a kind of file; `null` if its property is unknown. */
export function endSlot(at: LinkEnd, kind: Kind, properties: ReadonlyMap<number, Property>): Slot | null {
  if (!('property' in at)) return at;
  const property = properties.get(at.property);
  return property ? slotOf(property, kind) : null;
}

/** Properties with the links through which the record leads, so users do not type what check-in would replace. */
export function withLeads<P extends Property>(properties: readonly P[], links: readonly Link[]): P[] {
  const led = new Map<number, Led[]>();
  for (const link of links) {
    const other = link.states.filter((entry) => recordLeads(entry)).map((entry) => entry.state);
    const whole = recordLeads(link);
    if (!whole && other.length === 0) continue;
    const except = link.states.filter((entry) => !recordLeads(entry)).map((entry) => entry.state);
    const { field, kinds, classes, step } = link;
    for (const at of link.at)
      if ('property' in at && at.of === undefined)
        led.set(at.property, [...(led.get(at.property) ?? []), { field, kinds, classes, step, states: whole ? null : other, except: whole ? except : [] }]);
  }
  return properties.map((property) => {
    const by = led.get(property.id);
    if (by) return { ...property, led: by };
    if (property.led === undefined) return property;
    const { led: _, ...rest } = property;
    void _;
    return rest as unknown as P;
  });
}

/** A problem in a binding or link. */
export interface MappingProblem {
  readonly of: 'binding' | 'link';
  readonly id: number;
  readonly severity: 'error' | 'warning';
  readonly code: string;
  readonly message: string;
}

/** Display name of a cell. */
export const cellName = ({ block, cell }: Pick<Binding, 'block' | 'cell'>): string => (block === null ? `${cell} of every block` : `${cell} of ${block}`);

/** Problems in a rule for text that does not fit. */
function fitProblems({ steps, narrowest, abbreviations }: FitRule): string[] {
  const words = abbreviations.map(({ word }) => word.toLowerCase());
  return [
    ...(steps.some((step, i) => !FIT_STEPS.includes(step) || steps.indexOf(step) !== i) ? ['names a remedy twice, or one that does not exist.'] : []),
    ...(narrowest > 0 && narrowest <= 1 ? [] : ['narrows letters to a factor that is not between 0 and 1.']),
    ...(abbreviations.some(({ word, short }) => word.trim() === '' || short.trim() === '') ? ['has an abbreviation without a word.'] : []),
    ...words.filter((word, i) => words.indexOf(word) !== i).map((word) => `abbreviates ${JSON.stringify(word)} twice.`),
  ];
}

/** Whether two links share files. */
export const linksOverlap = (a: Pick<Link, 'kinds' | 'classes'>, b: Pick<Link, 'kinds' | 'classes'>): boolean =>
  a.kinds.some((kind) => b.kinds.includes(kind)) && (a.classes.length === 0 || b.classes.length === 0 || a.classes.some((name) => b.classes.includes(name)));

/** A link's files in words. */
export const linkFilesWords = ({ kinds, classes }: Pick<Link, 'kinds' | 'classes'>): string =>
  `${kinds.length === KINDS.length ? 'every kind' : kinds.join(', ')}${classes.length ? `: ${classes.join(', ')}` : ''}`;

/** Display name of a link: field and files. */
export const linkName = (link: Pick<Link, 'field' | 'kinds' | 'classes'>): string => `${link.field} (${linkFilesWords(link)})`;

/** All problems of bindings and links. */
export function checkMapping(properties: readonly Property[], bindings: readonly Binding[], links: readonly Link[]): MappingProblem[] {
  const found: MappingProblem[] = [];
  const byId = new Map(properties.map((property) => [property.id, property]));
  /** Why a property cannot be used; `null` if it can. */
  const gone = (id: number): string | null => {
    const property = byId.get(id);
    return property === undefined ? 'a property that is not in the schema' : property.retired ? `${property.caption}, which is retired` : null;
  };
  const cells = new Set<string>();
  const led = new Map<string, string>();
  for (const binding of bindings) {
    const where = `The cell ${cellName(binding)}`;
    const add = (code: string, message: string, severity: MappingProblem['severity'] = 'error') =>
      found.push({ of: 'binding', id: binding.id, severity, code, message: `${where} ${message}` });
    const key = JSON.stringify([binding.block === null ? null : familyOf(binding.block), binding.cell]);
    if (cells.has(key)) add('bound-twice', 'is bound twice.');
    cells.add(key);
    if (binding.shows.length === 0) add('nothing-shown', 'is not bound to anything.');
    for (const piece of binding.shows) {
      if (
        'fact' in piece &&
        isOutlineFact(piece.fact) &&
        piece.form.outlines &&
        piece.form.outlines.of !== 'around the cell' &&
        !piece.form.outlines.layer.trim()
      )
        add('no-layer', `adds up the outlines ${piece.form.outlines.of} and names no layer.`);
      if (!('property' in piece)) continue;
      const why = gone(piece.property);
      if (why !== null) {
        add('no-property', `shows ${why}.`);
        continue;
      }
      const property = byId.get(piece.property)!;
      const sources = sourcesOf(property);
      if (piece.form.date !== undefined && piece.from === 'model' && property.feed === 'file')
        add('date-of-model', `shows the ${property.caption} of the model's file, not of the drawing.`, 'warning');
      if (sources.length === 0) add('no-source', `shows ${property.caption}, whose values are held at ${property.level} level and never on a sheet.`);
      else if (!sources.includes(piece.from))
        add('no-source', `takes ${property.caption} from the ${piece.from}; it can only come from the ${sources.join(' or the ')}.`);
    }
    if (binding.fit) for (const message of fitProblems(binding.fit)) add('fit', message);
    if (!binding.leads) continue;
    const [piece, ...more] = binding.shows;
    if (!piece || more.length > 0 || !('property' in piece) || byId.get(piece.property)?.level !== 'sheet') {
      add('cannot-lead', 'can be the home of one sheet-level property only.');
      continue;
    }
    if (!isPlainForm(piece.form)) add('cannot-lead', 'is the home of its value, so it cannot be formatted.');
    const home = JSON.stringify([binding.block === null ? null : familyOf(binding.block), piece.property]);
    const other = led.get(home);
    if (other !== undefined) add('led-twice', `and the cell ${other} are both the home of ${byId.get(piece.property)!.caption}.`);
    led.set(home, binding.cell);
  }
  const fields = new Map<string, Link[]>();
  for (const link of links) {
    const where = `The link of the record field ${linkName(link)}`;
    const add = (code: string, message: string) => found.push({ of: 'link', id: link.id, severity: 'error', code, message: `${where} ${message}` });
    const others = fields.get(link.field) ?? [];
    if (others.some((other) => linksOverlap(other, link))) add('field-taken', 'is linked twice for the same files.');
    fields.set(link.field, [...others, link]);
    if (link.kinds.length === 0 || link.kinds.some((kind) => !KINDS.includes(kind))) add('no-kind', 'names no kind of file, or an unknown one.');
    if (link.at.length === 0) add('no-name', 'names no address in files.');
    if (new Set(link.states.map(({ state }) => state)).size < link.states.length) add('state-twice', 'has two rules for one state.');
    const writes = [link, ...link.states].some(({ out }) => out !== 'never');
    if (link.step !== null && !recordLeads(link)) add('step', `is set by the step ${link.step}, so values pass from the record to the file only.`);
    for (const at of link.at) {
      if (!('property' in at)) {
        if (at.name === '') add('no-name', 'names no address in files.');
        continue;
      }
      const why = gone(at.property);
      if (why !== null) {
        add('no-property', `leads to ${why}.`);
        continue;
      }
      const property = byId.get(at.property)!;
      if (at.of === 'model') {
        if (!link.kinds.includes('drawing')) add('no-model', `takes the ${property.caption} of the model, but is not for drawings.`);
        if (writes) add('model-written', `takes the ${property.caption} of the model; the record of a drawing cannot change the model. Set Out to never.`);
        if (!property.kinds.some((kind) => kind === 'part' || kind === 'assembly') || !isHeldAt(property, 'document'))
          add('not-held', `takes ${property.caption} from the model, which does not hold it.`);
        continue;
      }
      const reached = link.kinds.filter((kind) => property.kinds.includes(kind));
      if (reached.length === 0)
        add(
          'not-reached',
          `leads to ${property.caption}, which does not apply to ${link.kinds.map((kind) => (kind === 'assembly' || kind === 'other' ? `an ${kind}` : `a ${kind}`)).join(' or ')}.`,
        );
      else if (!isHeldAt(property, 'document') && !INNER_LEVELS.some((level) => (level === 'sheet' || level === 'variant') && isHeldAt(property, level)))
        add('not-held', `leads to ${property.caption}, which is held at ${property.level} level, not by files.`);
    }
  }
  return found;
}

/** Properties typed per sheet without a home cell; they could not be stored. */
export const withoutCell = (properties: readonly Property[], bindings: readonly Binding[]): Property[] =>
  properties.filter(
    (property) => !property.retired && property.level === 'sheet' && property.feed === 'typed' && !bindings.some((binding) => ledBy(binding) === property.id),
  );

/** Mapping entries that use a property, to warn before retiring it. */
export function usesOf(property: number, bindings: readonly Binding[], links: readonly Link[]): { readonly bindings: Binding[]; readonly links: Link[] } {
  return {
    bindings: bindings.filter((binding) => binding.shows.some((piece) => 'property' in piece && piece.property === property)),
    links: links.filter((link) => link.at.some((at) => 'property' in at && at.property === property)),
  };
}
