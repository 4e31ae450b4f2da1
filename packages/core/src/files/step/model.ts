import { Argument, StepRecord, parseRecords } from './parse';
import { InstanceSpan, StepIndex, scanStep, spanAt } from './scan';

/** Entities that reading and writing look up by type. */
export const WANTED = [
  'PRODUCT',
  'PRODUCT_DEFINITION',
  'PRODUCT_DEFINITION_WITH_ASSOCIATED_DOCUMENTS',
  'PRODUCT_RELATED_PRODUCT_CATEGORY',
  'NEXT_ASSEMBLY_USAGE_OCCURRENCE',
  'PROPERTY_DEFINITION',
  'PROPERTY_DEFINITION_REPRESENTATION',
  'GENERAL_PROPERTY_ASSOCIATION',
  'REPRESENTATION',
  'REPRESENTATION_CONTEXT',
  'APPLIED_EXTERNAL_IDENTIFICATION_ASSIGNMENT',
  'APPLIED_DOCUMENT_REFERENCE',
  'DOCUMENT_FILE',
  'SHAPE_DEFINITION_REPRESENTATION',
  'SHAPE_REPRESENTATION_RELATIONSHIP',
  'GEOMETRIC_ITEM_SPECIFIC_USAGE',
  'ITEM_IDENTIFIED_REPRESENTATION_USAGE',
  'MATERIAL_DESIGNATION',
  'CONTEXT_DEPENDENT_SHAPE_REPRESENTATION',
] as const;

const NO_ARGUMENTS: readonly Argument[] = [];

/** A Part 21 file with instances parsed on demand. */
export class StepModel {
  readonly index: StepIndex;
  private readonly parsed = new Map<number, StepRecord[]>();

  readonly bytes: Uint8Array;

  constructor(bytes: Uint8Array) {
    // A Buffer is looked at as plain bytes: its methods do more than is wanted here.
    this.bytes = bytes.constructor === Uint8Array ? bytes : new Uint8Array(bytes.buffer, bytes.byteOffset, bytes.length);
    this.index = scanStep(this.bytes, WANTED);
  }

  /** The records of an instance; empty when the id is not defined. */
  records(id: number): StepRecord[] {
    let records = this.parsed.get(id);
    if (!records) {
      const position = this.index.position(id);
      records = position === undefined ? [] : parseRecords(this.bytes, this.index.rights[position]!);
      this.parsed.set(id, records);
    }
    return records;
  }

  /** The first record of an instance; `undefined` when the id is not defined. */
  record(id: number): StepRecord | undefined {
    return this.records(id)[0];
  }

  /** The arguments of the first record of an instance; none when the id is not defined. */
  args(id: number | undefined): readonly (Argument | undefined)[] {
    return (id === undefined ? undefined : this.record(id)?.args) ?? NO_ARGUMENTS;
  }

  /** The ids of all instances of a type, in file order. */
  idsOf(type: (typeof WANTED)[number]): number[] {
    return (this.index.byType.get(type) ?? []).map((position) => this.index.ids[position]!);
  }

  /** The bytes that an instance is in. */
  span(id: number): InstanceSpan | undefined {
    const position = this.index.position(id);
    return position === undefined ? undefined : spanAt(this.index, position);
  }

  /** The header statement with a keyword. */
  header(keyword: string): StepRecord | undefined {
    const span = this.index.header.find((statement) => statement.keyword === keyword);
    return span && parseRecords(this.bytes, span.start)[0];
  }
}

/** The text of an argument; `''` when it is none. */
export const textOf = (argument: Argument | undefined): string => (argument?.is === 'text' ? argument.value : '');

/** The id that an argument refers to; `undefined` when it is not a reference. */
export const refOf = (argument: Argument | undefined): number | undefined => (argument?.is === 'ref' ? argument.id : undefined);

/** The ids in a list of references. */
export const refsOf = (argument: Argument | undefined): number[] =>
  argument?.is === 'list' ? argument.items.flatMap((item) => (item.is === 'ref' ? [item.id] : [])) : [];
