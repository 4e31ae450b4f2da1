import { Argument, StepRecord, parseRecords } from './parse';
import { InstanceSpan, StepIndex, scanStep, spanAt } from './scan';

/** Entities looked up by type. */
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

/** A Part 21 file; instances are parsed on demand. */
export class StepModel {
  readonly index: StepIndex;
  private readonly parsed = new Map<number, StepRecord[]>();

  readonly bytes: Uint8Array;

  constructor(bytes: Uint8Array) {
    // Treated as Uint8Array: Buffer methods are slower here.
    this.bytes = bytes.constructor === Uint8Array ? bytes : new Uint8Array(bytes.buffer, bytes.byteOffset, bytes.length);
    this.index = scanStep(this.bytes, WANTED);
  }

  /** Records of an instance; empty if undefined. */
  records(id: number): StepRecord[] {
    let records = this.parsed.get(id);
    if (!records) {
      const position = this.index.position(id);
      records = position === undefined ? [] : parseRecords(this.bytes, this.index.rights[position]!);
      this.parsed.set(id, records);
    }
    return records;
  }

  /** First record of an instance, if defined. */
  record(id: number): StepRecord | undefined {
    return this.records(id)[0];
  }

  /** Arguments of an instance's first record; empty if undefined. */
  args(id: number | undefined): readonly (Argument | undefined)[] {
    return (id === undefined ? undefined : this.record(id)?.args) ?? NO_ARGUMENTS;
  }

  /** Ids of a type's instances, in file order. */
  idsOf(type: (typeof WANTED)[number]): number[] {
    return (this.index.byType.get(type) ?? []).map((position) => this.index.ids[position]!);
  }

  /** Bytes of an instance. */
  span(id: number): InstanceSpan | undefined {
    const position = this.index.position(id);
    return position === undefined ? undefined : spanAt(this.index, position);
  }

  /** A header statement by keyword. */
  header(keyword: string): StepRecord | undefined {
    const span = this.index.header.find((statement) => statement.keyword === keyword);
    return span && parseRecords(this.bytes, span.start)[0];
  }
}

/** Text of an argument; `''` if it is not a string. */
export const textOf = (argument: Argument | undefined): string => (argument?.is === 'text' ? argument.value : '');

/** Id an argument refers to; `undefined` if not a reference. */
export const refOf = (argument: Argument | undefined): number | undefined => (argument?.is === 'ref' ? argument.id : undefined);

/** Ids in a list of references. */
export const refsOf = (argument: Argument | undefined): number[] =>
  argument?.is === 'list' ? argument.items.flatMap((item) => (item.is === 'ref' ? [item.id] : [])) : [];
