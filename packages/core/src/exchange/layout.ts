import { ChoiceListDraft, Property, choicesFor } from '../schema';
import { HeldValue, TypedValue, findUnit, readHeld } from '../values';
import { CsvForm } from './csv-form';
import { CellLook, Mark, SheetColumn, SheetForm, Validation, WorkbookWriter, WrittenValue, columnLetters, quoteSheet } from './write-workbook';

/** Subjects of rows. */
export const ROW_LEVELS = ['document', 'variant', 'body', 'occurrence', 'sheet'] as const;
export type RowLevel = (typeof ROW_LEVELS)[number];

/** One column per property, or one row per value. */
export const TABLE_SHAPES = ['wide', 'long'] as const;
export type TableShapeName = (typeof TABLE_SHAPES)[number];

/** A property in a table. */
export interface TableColumn {
  readonly property: Property;
  readonly header: string;
  /** Whether it is editable; other columns are refused when taken back. */
  readonly editable: boolean;
}

/** A typed value, or its text if invalid. */
const typedOf = (held: HeldValue | null | undefined, property: Property): TypedValue | null => {
  if (!held || held.text === '') return null;
  const parsed = readHeld(held, property);
  return parsed.ok ? parsed.value : held.text;
};

/** A value in a text file: numbers in the property's unit with the file's decimal sign, ISO 8601 dates. */
export function cellText(held: HeldValue | null | undefined, property: Property, decimal: CsvForm['decimal'] = '.'): string {
  if (!held) return '';
  const value = typedOf(held, property);
  if (typeof value !== 'number' || property.type === 'whole')
    return typeof value === 'boolean' ? held.text : held.form === 'measure' && value !== null ? String(value) : held.text;
  const text = held.form === 'measure' ? String(value) : held.text;
  return decimal === ',' ? text.replace('.', ',') : text;
}

/** A workbook cell: numbers and dates typed, everything else text. */
export function cellValue(held: HeldValue | null | undefined, property: Property): WrittenValue {
  const value = typedOf(held, property);
  if (value === null) return null;
  if (typeof value === 'boolean') return property.words ? property.words[value ? 0 : 1] : value ? 'yes' : 'no';
  if (typeof value === 'string') return property.type === 'date' && /^\d{4}-\d\d-\d\d$/.test(value) ? { date: value } : value;
  return value;
}

/** Number format of a property (ECMA-376 part 1, 18.8.30). */
export function numberFormat(property: Property): string {
  if (property.type === 'date') return 'yyyy-mm-dd';
  if (property.type === 'whole') return '0';
  if (property.type !== 'number') return '@';
  const digits = property.decimals === null ? '0.##########' : property.decimals === 0 ? '0' : `0.${'0'.repeat(property.decimals)}`;
  return property.unit ? `${digits}" ${property.unit.replaceAll('"', '')}"` : digits;
}

const choicesOf = (property: Property): readonly string[] =>
  property.type === 'choice' ? property.choices : property.type === 'yesno' ? (property.words ?? ['yes', 'no']) : [];

/** Name of the sheet with choices. */
const CHOICES = 'Choices';
/** Column widths in characters. */
const NARROWEST = 9;
const WIDEST = 46;

/** The choices sheet with named ranges. */
class ChoiceColumns {
  private readonly columns: { readonly header: string; readonly values: readonly string[] }[] = [];

  private add(header: string, values: readonly string[]): string {
    const letters = columnLetters(this.columns.push({ header, values }) - 1);
    return `${quoteSheet(CHOICES)}!$${letters}$2:$${letters}$${Math.max(values.length, 1) + 1}`;
  }

  /** A range of choices. */
  range(property: Property): string {
    return this.add(property.writtenName, choicesOf(property));
  }

  /** A formula for choices depending on another column. */
  dependent(property: Property, list: ChoiceListDraft, by: Property, letters: string): string {
    const pairs = choicesOf(by).flatMap((value) => choicesFor(list, value).map((choice) => [value, choice] as const));
    const narrowing = this.add(
      by.writtenName,
      pairs.map(([value]) => value),
    );
    const values = this.add(
      property.writtenName,
      pairs.map(([, choice]) => choice),
    );
    const first = values.slice(0, values.indexOf(':'));
    return `OFFSET(${first},MATCH($${letters}2,${narrowing},0)-1,0,COUNTIF(${narrowing},$${letters}2),1)`;
  }

  write(writer: WorkbookWriter): void {
    if (this.columns.length === 0) return;
    const cell: CellLook = { format: '@', locked: true, look: 'plain' };
    writer.beginSheet({
      name: CHOICES,
      frozen: 0,
      filter: false,
      protect: true,
      hidden: true,
      columns: this.columns.map(({ header }) => ({ header, width: 24, cell })),
    });
    const longest = Math.max(...this.columns.map(({ values }) => values.length));
    for (let i = 0; i < longest; i++) writer.addRow(this.columns.map(({ values }) => ({ value: values[i] ?? null })));
    writer.endSheet();
  }
}

/** Validation performed by the spreadsheet. */
function validationOf(property: Property, choices: string | null): Validation | undefined {
  if (choices !== null) return { type: 'list', formula: choices, open: property.open };
  const limits = (type: 'whole' | 'decimal' | 'date', lowest: string): Validation => {
    const { min, max } = property;
    if (min !== null && max !== null) return { type, operator: 'between', formulas: [String(min), String(max)] };
    if (max !== null) return { type, operator: 'lessThanOrEqual', formulas: [String(max)] };
    return { type, operator: 'greaterThanOrEqual', formulas: [min === null ? lowest : String(min)] };
  };
  switch (property.type) {
    case 'whole':
      return limits('whole', '-9007199254740991');
    case 'number':
      return limits('decimal', '-1E+300');
    case 'date':
      return { type: 'date', operator: 'greaterThanOrEqual', formulas: ['1'] };
    default:
      return property.maxLength === null ? undefined : { type: 'textLength', operator: 'lessThanOrEqual', formulas: [String(property.maxLength)] };
  }
}

/** Conditional formats, for row 2 of a column. */
function marksOf(property: Property, letters: string, choices: string | null, listFormula: boolean): Mark[] {
  const cell = `$${letters}2`;
  const filled = `LEN(TRIM(${cell}))>0`;
  const wrong: string[] = [];
  if (property.type === 'whole' || property.type === 'number') wrong.push(`NOT(ISNUMBER(${cell}))`);
  if (property.type === 'whole') wrong.push(`IF(ISNUMBER(${cell}),${cell}<>INT(${cell}),FALSE)`);
  if ((property.type === 'whole' || property.type === 'number') && property.min !== null) wrong.push(`IF(ISNUMBER(${cell}),${cell}<${property.min},FALSE)`);
  if ((property.type === 'whole' || property.type === 'number') && property.max !== null) wrong.push(`IF(ISNUMBER(${cell}),${cell}>${property.max},FALSE)`);
  if (property.maxLength !== null) wrong.push(`LEN(${cell})>${property.maxLength}`);
  if (property.minLength !== null) wrong.push(`LEN(${cell})<${property.minLength}`);
  // COUNTIF ignores case; taking back does not.
  if (choices !== null && !property.open && !listFormula) wrong.push(`COUNTIF(${choices},${cell})=0`);
  return [
    ...(property.required ? [{ formula: `NOT(${filled})`, as: 'missing' as const }] : []),
    ...(wrong.length ? [{ formula: `AND(${filled},OR(${wrong.join(',')}))`, as: 'wrong' as const }] : []),
  ];
}

/** Input hint of a cell. */
function promptOf(property: Property, editable: boolean): SheetColumn['prompt'] {
  const said = [
    property.help,
    property.required ? 'Required.' : '',
    property.unit ? `In ${findUnit(property.unit)?.code ?? property.unit}.` : '',
    property.maxLength === null ? '' : `Up to ${property.maxLength} characters.`,
    editable ? '' : 'Read-only: changes here are not taken back.',
  ].filter(Boolean);
  return said.length ? { title: property.caption, text: said.join(' ') } : undefined;
}

/** The main sheet with its attachments. */
export interface SheetPlan {
  readonly form: SheetForm;
  /** Writes the choices sheet after the main sheet. */
  readonly choices: (writer: WorkbookWriter) => void;
}

/** Lays out a sheet: identifying columns, then properties with choices, hints and formats. */
export function planSheet(
  columns: readonly TableColumn[],
  ground: {
    readonly front: readonly { readonly header: string; readonly width: number }[];
    readonly lists: ReadonlyMap<string, ChoiceListDraft>;
    /** Longest text of each column. */
    readonly widths: ReadonlyMap<number, number>;
    readonly protect: boolean;
  },
): SheetPlan {
  const choices = new ChoiceColumns();
  const at = (i: number) => columnLetters(ground.front.length + i);
  const laid = columns.map(({ property, header, editable }, i): SheetColumn => {
    const letters = at(i);
    const by = columns.findIndex((column) => column.property.writtenName === property.narrowedBy);
    const list = property.list === null ? undefined : ground.lists.get(property.list);
    const dependent = by >= 0 && list !== undefined && list.goesWith !== null && choicesOf(columns[by]!.property).length > 0;
    const formula = !editable
      ? null
      : dependent
        ? choices.dependent(property, list, columns[by]!.property, at(by))
        : choicesOf(property).length
          ? choices.range(property)
          : null;
    const validation = editable ? validationOf(property, formula) : undefined;
    const prompt = promptOf(property, editable);
    return {
      header,
      width: Math.min(WIDEST, Math.max(NARROWEST, header.length + 4, (ground.widths.get(property.id) ?? 0) + 2)),
      cell: { format: numberFormat(property), locked: !editable, look: editable ? 'plain' : 'off' },
      ...(validation ? { validation } : {}),
      ...(prompt ? { prompt } : {}),
      ...(editable ? { marks: marksOf(property, letters, formula, dependent) } : {}),
    };
  });
  return {
    form: {
      name: 'Values',
      frozen: ground.front.length,
      filter: true,
      protect: ground.protect,
      columns: [...ground.front.map(({ header, width }) => ({ header, width, cell: { format: '@', locked: true, look: 'off' as const } })), ...laid],
    },
    choices: (writer) => choices.write(writer),
  };
}

/** Instruction sheet. */
export function writeHowTo(writer: WorkbookWriter, title: string, lines: readonly string[]): void {
  const cell: CellLook = { format: '@', locked: true, look: 'plain' };
  writer.beginSheet({ name: 'How to', frozen: 0, filter: false, protect: true, columns: [{ header: title, width: 110, cell }] });
  for (const line of lines) writer.addRow([{ value: line }]);
  writer.endSheet();
}
