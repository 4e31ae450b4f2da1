import { FileError } from '../contract';
import { endOfString, skipBlank } from './scan';
import { decodeString } from './strings';

/** An argument with the bytes it stands in. */
export type Argument =
  | { readonly is: 'text'; readonly value: string; readonly start: number; readonly end: number }
  | { readonly is: 'number'; readonly value: string; readonly start: number; readonly end: number }
  | { readonly is: 'ref'; readonly id: number; readonly start: number; readonly end: number }
  | { readonly is: 'enum'; readonly value: string; readonly start: number; readonly end: number }
  | { readonly is: 'list'; readonly items: readonly Argument[]; readonly start: number; readonly end: number }
  | { readonly is: 'typed'; readonly name: string; readonly items: readonly Argument[]; readonly start: number; readonly end: number }
  | { readonly is: 'none'; readonly value: '$' | '*'; readonly start: number; readonly end: number };

/** One record of an instance: a simple instance has one, a complex one several. */
export interface StepRecord {
  readonly name: string;
  readonly args: readonly Argument[];
}

const isWord = (c: number) => (c >= 65 && c <= 90) || (c >= 97 && c <= 122) || c === 95 || (c >= 48 && c <= 57);
const ascii = (bytes: Uint8Array, start: number, end: number) => {
  let out = '';
  for (let i = start; i < end; i++) out += String.fromCharCode(bytes[i]!);
  return out;
};

/** Nesting that no sane file reaches; a guard for the call stack. */
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
    return ascii(this.bytes, start, this.i).toUpperCase();
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

  /** A list in brackets; stands at the opening one. */
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
      return { is: 'text', value: decodeString(bytes.subarray(start + 1, this.i - 1)), start, end: this.i };
    }
    if (c === 35) {
      this.i++;
      while (this.bytes[this.i]! >= 48 && this.bytes[this.i]! <= 57) this.i++;
      return { is: 'ref', id: Number(ascii(bytes, start + 1, this.i)), start, end: this.i };
    }
    if (c === 36 || c === 42) {
      this.i++;
      return { is: 'none', value: c === 36 ? '$' : '*', start, end: this.i };
    }
    if (c === 40) {
      const items = this.list(depth + 1);
      return { is: 'list', items, start, end: this.i };
    }
    if (c === 46) {
      this.i++;
      while (isWord(this.bytes[this.i]!)) this.i++;
      if (this.bytes[this.i] !== 46) this.fail('An enumeration is not closed.');
      this.i++;
      return { is: 'enum', value: ascii(bytes, start + 1, this.i - 1).toUpperCase(), start, end: this.i };
    }
    if (c === 34) {
      const close = bytes.indexOf(34, start + 1);
      if (close < 0) this.fail('A binary is not closed.');
      this.i = close + 1;
      return { is: 'enum', value: ascii(bytes, start, this.i), start, end: this.i };
    }
    if (c === 43 || c === 45 || (c >= 48 && c <= 57)) {
      while (/[0-9+\-.eE]/.test(String.fromCharCode(this.bytes[this.i]!))) this.i++;
      return { is: 'number', value: ascii(bytes, start, this.i), start, end: this.i };
    }
    const name = this.word();
    if (this.blank() !== 40) this.fail(`${name} has no arguments.`);
    const items = this.list(depth + 1);
    return { is: 'typed', name, items, start, end: this.i };
  }
}

/** Parses the right side of an instance, or a header statement, that begins at `offset`. */
export const parseRecords = (bytes: Uint8Array, offset: number): StepRecord[] => new Parser(bytes, offset).records();
