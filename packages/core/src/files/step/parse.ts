import { FileError } from '../contract';
import { bytewiseText } from '../encoding';
import { endOfString, skipBlank } from './scan';
import { decodeString } from './strings';

/** An argument with its byte range. */
export type Argument =
  | { readonly is: 'text'; readonly value: string; readonly start: number; readonly end: number }
  | { readonly is: 'number'; readonly value: string; readonly start: number; readonly end: number }
  | { readonly is: 'ref'; readonly id: number; readonly start: number; readonly end: number }
  | { readonly is: 'enum'; readonly value: string; readonly start: number; readonly end: number }
  | { readonly is: 'list'; readonly items: readonly Argument[]; readonly start: number; readonly end: number }
  | { readonly is: 'typed'; readonly name: string; readonly items: readonly Argument[]; readonly start: number; readonly end: number }
  | { readonly is: 'none'; readonly value: '$' | '*'; readonly start: number; readonly end: number };

/** A record of an instance: one if simple, several if complex. */
export interface StepRecord {
  readonly name: string;
  readonly args: readonly Argument[];
}

const isWord = (c: number) => (c >= 65 && c <= 90) || (c >= 97 && c <= 122) || c === 95 || (c >= 48 && c <= 57);
const isNumber = (c: number) => (c >= 48 && c <= 57) || c === 43 || c === 45 || c === 46 || c === 69 || c === 101;

/** Interned names, by hash: few distinct ones recur constantly. */
const names = new Map<number, string>();
const MOST_NAMES = 4096;

/** The name in a byte range, in capitals. */
function nameAt(bytes: Uint8Array, start: number, end: number): string {
  let hash = 0;
  for (let i = start; i < end; i++) hash = (hash * 31 + bytes[i]!) | 0;
  const known = names.get(hash);
  if (known?.length === end - start) {
    let i = start;
    while (i < end && known.charCodeAt(i - start) === bytes[i]!) i++;
    if (i === end) return known;
  }
  const name = bytewiseText(bytes, start, end).toUpperCase();
  if (names.size < MOST_NAMES) names.set(hash, name);
  return name;
}

const NO_ITEMS: readonly Argument[] = [];

/**
 * One object shape for all argument kinds: engines handle it several times faster than seven shapes, and large libraries have hundreds of
 * millions.
 */
const argument = (is: Argument['is'], start: number, end: number, value = '', id = 0, items = NO_ITEMS, name = ''): Argument =>
  ({ is, value, id, items, name, start, end }) as unknown as Argument;

/** Maximum nesting; protects the call stack. */
const DEEPEST = 64;

class Parser {
  constructor(
    private readonly bytes: Uint8Array,
    private i: number,
  ) {}

  private fail(what: string): never {
    throw new FileError('step-syntax', what, this.i);
  }

  private blank(): number {
    this.i = skipBlank(this.bytes, this.i);
    return this.bytes[this.i] ?? -1;
  }

  private word(): string {
    const start = this.i;
    while (isWord(this.bytes[this.i]!)) this.i++;
    if (this.i === start) this.fail('A name was expected.');
    return nameAt(this.bytes, start, this.i);
  }

  records(): StepRecord[] {
    if (this.blank() !== 40) return [this.record()];
    this.i++;
    const records: StepRecord[] = [];
    while (this.blank() !== 41) records.push(this.record());
    this.i++;
    return records;
  }

  record(): StepRecord {
    this.blank();
    const name = this.word();
    if (this.blank() !== 40) this.fail(`${name} has no arguments.`);
    return { name, args: this.list(0) };
  }

  /** Parses a list, starting at its opening bracket. */
  private list(depth: number): Argument[] {
    if (depth > DEEPEST) this.fail('Lists are nested too deeply.');
    this.i++;
    const items: Argument[] = [];
    if (this.blank() === 41) {
      this.i++;
      return items;
    }
    for (;;) {
      items.push(this.argument(depth));
      const c = this.blank();
      this.i++;
      if (c === 41) return items;
      if (c !== 44) this.fail('A comma or closing bracket was expected.');
    }
  }

  private argument(depth: number): Argument {
    const c = this.blank();
    const start = this.i;
    const { bytes } = this;
    if (c === 39) {
      this.i = endOfString(bytes, start);
      return argument('text', start, this.i, decodeString(bytes, start + 1, this.i - 1));
    }
    // Constants and value names (`#LABEL`, `@12`) are not instance references.
    if (c === 64 || (c === 35 && !(bytes[start + 1]! >= 48 && bytes[start + 1]! <= 57))) {
      for (this.i++; isWord(bytes[this.i]!);) this.i++;
      return argument('enum', start, this.i, bytewiseText(bytes, start, this.i));
    }
    if (c === 35) {
      let id = 0;
      for (this.i++; bytes[this.i]! >= 48 && bytes[this.i]! <= 57; this.i++) id = id * 10 + bytes[this.i]! - 48;
      return argument('ref', start, this.i, '', id);
    }
    if (c === 36 || c === 42) {
      this.i++;
      return argument('none', start, this.i, c === 36 ? '$' : '*');
    }
    if (c === 40) {
      const items = this.list(depth + 1);
      return argument('list', start, this.i, '', 0, items);
    }
    if (c === 46) {
      this.i++;
      while (isWord(this.bytes[this.i]!)) this.i++;
      if (this.bytes[this.i] !== 46) this.fail('An enumeration is not closed.');
      this.i++;
      return argument('enum', start, this.i, nameAt(bytes, start + 1, this.i - 1));
    }
    if (c === 34) {
      const close = bytes.indexOf(34, start + 1);
      if (close < 0) this.fail('A binary is not closed.');
      this.i = close + 1;
      return argument('enum', start, this.i, bytewiseText(bytes, start, this.i));
    }
    if (c === 43 || c === 45 || (c >= 48 && c <= 57)) {
      while (isNumber(bytes[this.i]!)) this.i++;
      return argument('number', start, this.i, bytewiseText(bytes, start, this.i));
    }
    const name = this.word();
    if (this.blank() !== 40) this.fail(`${name} has no arguments.`);
    const items = this.list(depth + 1);
    return argument('typed', start, this.i, '', 0, items, name);
  }
}

/** Parses an instance's right side or a header statement at `offset`. */
export const parseRecords = (bytes: Uint8Array, offset: number): StepRecord[] => new Parser(bytes, offset).records();
