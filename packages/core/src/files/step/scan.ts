import { FileError } from '../contract';
import { bytewiseText } from '../encoding';
import { Columns, PlainInstances } from './instances';

/** Range of an instance `#id=…;` and the start of its right side. */
export interface InstanceSpan {
  readonly id: number;
  readonly start: number;
  readonly right: number;
  readonly end: number;
}

/** A header statement, such as `FILE_NAME(…);`. */
export interface HeaderSpan {
  readonly keyword: string;
  readonly start: number;
  readonly end: number;
}

/** Index of a Part 21 file: ranges only. */
export interface StepIndex {
  readonly bytes: Uint8Array;
  readonly header: readonly HeaderSpan[];
  /** Instance ranges in file order, as parallel arrays. */
  readonly ids: Float64Array;
  readonly starts: Int32Array;
  readonly rights: Int32Array;
  readonly ends: Int32Array;
  /** Rows of instances by wanted type; `''` for complex instances. */
  readonly byType: ReadonlyMap<string, readonly number[]>;
  /** Row by instance id. */
  readonly position: (id: number) => number | undefined;
  readonly maxId: number;
  /** Offset of the last data section's `ENDSEC`. */
  readonly dataEnd: number;
  /** The file's line ending. */
  readonly eol: string;
}

const APOSTROPHE = 39;
const SLASH = 47;
const STAR = 42;
const HASH = 35;
const SEMICOLON = 59;
const EQUALS = 61;
const PAREN = 40;
const ANGLE = 60;
const CLOSING_ANGLE = 62;

/** Largest instance id; ids of new instances above it remain exact integers. */
const LARGEST_ID = 2 ** 52;

const isDigit = (c: number) => c >= 48 && c <= 57;
const isWord = (c: number) => (c >= 65 && c <= 90) || (c >= 97 && c <= 122) || c === 95 || isDigit(c);
const isBlank = (c: number) => c === 32 || (c >= 9 && c <= 13);

/** `isWord` for each byte, as a table for speed. */
const WORD = Uint8Array.from({ length: 256 }, (_, c) => Number(isWord(c)));

/** Skips comments and blanks; returns the next offset. */
export function skipBlank(bytes: Uint8Array, from: number): number {
  let i = from;
  for (;;) {
    while (i < bytes.length && isBlank(bytes[i]!)) i++;
    if (bytes[i] !== SLASH || bytes[i + 1] !== STAR) return i;
    i = endOfComment(bytes, i);
  }
}

function endOfComment(bytes: Uint8Array, start: number): number {
  for (let i = start + 2; i + 1 < bytes.length; i++) if (bytes[i] === STAR && bytes[i + 1] === SLASH) return i + 2;
  throw new FileError('step-truncated', 'A comment is not closed.', start);
}

/** Offset after the closing apostrophe of a string. */
export function endOfString(bytes: Uint8Array, start: number): number {
  let i = start + 1;
  for (;;) {
    // Most strings are short: a byte loop beats a search.
    const near = Math.min(bytes.length, i + 48);
    while (i < near && bytes[i] !== APOSTROPHE) i++;
    if (i === near) i = bytes.indexOf(APOSTROPHE, i);
    if (i < 0) throw new FileError('step-truncated', 'A text is not closed.', start);
    if (bytes[i + 1] !== APOSTROPHE) return i + 1;
    i += 2;
  }
}

/**
 * Offset after the statement's semicolon.
 * @param addresses whether angle-bracket addresses may occur, as in ANCHOR and REFERENCE sections (ISO 10303-21, edition 3)
 */
function endOfStatement(bytes: Uint8Array, start: number, addresses = false): number {
  let i = start;
  while (i < bytes.length) {
    const c = bytes[i]!;
    if (c === SEMICOLON) return i + 1;
    if (c === APOSTROPHE) i = endOfString(bytes, i);
    else if (c === SLASH && bytes[i + 1] === STAR) i = endOfComment(bytes, i);
    else if (addresses && c === ANGLE) {
      const close = bytes.indexOf(CLOSING_ANGLE, i);
      if (close < 0) break;
      i = close + 1;
    } else i++;
  }
  throw new FileError('step-truncated', 'The file ends in the middle of a statement.', start);
}

function keywordAt(bytes: Uint8Array, start: number): string {
  let end = start;
  while (end < bytes.length && (isWord(bytes[end]!) || bytes[end] === 45)) end++;
  return bytewiseText(bytes, start, end).toUpperCase();
}

/** Instance ranges in growing columns with shared memory. */
class Spans {
  length = 0;
  private cells: Int32Array;
  /** Separate: some programs use ids above 2³¹. */
  private numbers: Float64Array;

  constructor(private room: number) {
    this.cells = new Int32Array(room * 3);
    this.numbers = new Float64Array(room);
  }

  /** Adds an instance whose end is not yet known. */
  begin(id: number, start: number, right: number): void {
    if (this.length === this.room) this.grow();
    const { cells, room, length } = this;
    this.numbers[length] = id;
    cells[length] = start;
    cells[room + length] = right;
  }

  end(end: number): void {
    this.cells[2 * this.room + this.length++] = end;
  }

  /** Appends columns of instances. */
  take(columns: Columns, count: number): void {
    while (this.length + count > this.room) this.grow();
    this.numbers.set(columns[0].subarray(0, count), this.length);
    for (let column = 0; column < 3; column++) this.cells.set(columns[column + 1]!.subarray(0, count), column * this.room + this.length);
    this.length += count;
  }

  private grow(): void {
    const larger = new Int32Array(this.room * 6);
    for (let column = 0; column < 3; column++) larger.set(this.column(column), column * this.room * 2);
    this.cells = larger;
    const numbers = new Float64Array(this.room * 2);
    numbers.set(this.ids);
    this.numbers = numbers;
    this.room *= 2;
  }

  get ids(): Float64Array {
    return this.numbers.subarray(0, this.length);
  }

  /** 0 starts, 1 right sides, 2 ends. */
  column(column: number): Int32Array {
    return this.cells.subarray(column * this.room, column * this.room + this.length);
  }
}

/**
 * Whether the complete name is at `start`, case-insensitive.
 * @param name in capitals
 */
function standsAt(bytes: Uint8Array, start: number, name: string): boolean {
  for (let k = 0; k < name.length; k++) {
    const c = bytes[start + k]!;
    if ((c >= 97 && c <= 122 ? c - 32 : c) !== name.charCodeAt(k)) return false;
  }
  return !WORD[bytes[start + name.length]!];
}

/** Instance rows by type. */
class Types {
  private readonly lists: number[][];

  constructor(
    private readonly bytes: Uint8Array,
    private readonly wanted: readonly string[],
  ) {
    // The last list holds complex instances.
    this.lists = Array.from({ length: wanted.length + 1 }, () => []);
  }

  /** Records an instance by its right side. */
  note(position: number, right: number): void {
    const { bytes, wanted } = this;
    const name = bytes[right] === PAREN ? wanted.length : wanted.findIndex((one) => standsAt(bytes, right, one));
    this.lists[name]?.push(position);
  }

  /** Records an instance whose name index is known; the chance of a wrong hash is about 1 in 4 billion. */
  noteLikely(position: number, right: number, name: number): void {
    if (name === this.wanted.length || standsAt(this.bytes, right, this.wanted[name]!)) this.lists[name]!.push(position);
    else this.note(position, right);
  }

  get byType(): Map<string, number[]> {
    return new Map(this.lists.map((list, n) => [this.wanted[n] ?? '', list]));
  }
}

/** Finds instances by id: most files number them in ascending order, so no map is needed. */
function positionOf(ids: Float64Array): StepIndex['position'] {
  let ascending = true;
  for (let k = 1; k < ids.length && ascending; k++) ascending = ids[k - 1]! < ids[k]!;
  if (!ascending) {
    const positions = new Map<number, number>();
    for (let k = 0; k < ids.length; k++) positions.set(ids[k]!, k);
    return (id) => positions.get(id);
  }
  return (id) => {
    let low = 0;
    let high = ids.length - 1;
    while (low <= high) {
      const middle = (low + high) >> 1;
      const found = ids[middle]!;
      if (found === id) return middle;
      if (found < id) low = middle + 1;
      else high = middle - 1;
    }
    return undefined;
  };
}

/**
 * Indexes a Part 21 file. Only statements are separated; instances are parsed on demand.
 * @param wanted entity names to index by type
 * @throws FileError `step-not`, `step-truncated`, `step-syntax`
 */
export function scanStep(bytes: Uint8Array, wanted: readonly string[]): StepIndex {
  const bom = bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf ? 3 : 0;
  let i = skipBlank(bytes, bom);
  if (keywordAt(bytes, i) !== 'ISO-10303-21') throw new FileError('step-not', 'This is not a STEP file: it does not begin with ISO-10303-21.', 0);
  i = endOfStatement(bytes, i);

  const plain = new PlainInstances(bytes, wanted);
  const types = new Types(bytes, wanted);
  const header: HeaderSpan[] = [];
  // An instance averages sixty bytes; columns grow if there are more.
  const spans = new Spans(Math.max(64, bytes.length >> 5));
  let maxId = 0;
  let dataEnd = -1;
  let section: 'none' | 'header' | 'data' | 'passed over' = 'none';
  let finished = false;

  while (!finished) {
    i = skipBlank(bytes, i);
    if (i >= bytes.length) throw new FileError('step-truncated', 'The file ends before END-ISO-10303-21.', i);
    const start = i;
    if (bytes[i] === HASH && section === 'data') {
      const count = plain.run(i);
      if (count > 0) {
        for (let mark = 0; mark < plain.marks; mark++) {
          const row = plain.rowOf(mark);
          types.noteLikely(spans.length + row, plain.columns[2][row]!, plain.nameOf(mark));
        }
        spans.take(plain.columns, count);
        if (plain.largest > maxId) maxId = plain.largest;
        i = plain.stopped;
        continue;
      }
      let id = 0;
      for (i++; isDigit(bytes[i]!); i++) id = id * 10 + bytes[i]! - 48;
      if (bytes[i] !== EQUALS) i = skipBlank(bytes, i);
      if (bytes[i] !== EQUALS) throw new FileError('step-syntax', `Instance #${id} has no right side.`, start);
      if (!WORD[bytes[++i]!]) i = skipBlank(bytes, i);
      spans.begin(id, start, i);
      if (id > LARGEST_ID) throw new FileError('step-syntax', `An instance number is greater than ${LARGEST_ID}.`, start);
      if (id > maxId) maxId = id;
      types.note(spans.length, i);
      i = endOfStatement(bytes, i);
      spans.end(i);
      continue;
    }
    if (section === 'passed over' && keywordAt(bytes, i) !== 'ENDSEC') {
      // Ids in a REFERENCE section (edition 3) are taken.
      if (bytes[i] === HASH) {
        let id = 0;
        for (let k = i + 1; isDigit(bytes[k]!); k++) id = id * 10 + bytes[k]! - 48;
        if (id > maxId && id <= LARGEST_ID) maxId = id;
      }
      i = endOfStatement(bytes, i, true);
      continue;
    }
    const keyword = keywordAt(bytes, i);
    if (keyword === '') throw new FileError('step-syntax', 'A statement does not start with a name.', start);
    i = endOfStatement(bytes, i);
    if (keyword === 'HEADER') section = 'header';
    else if (keyword === 'DATA') section = 'data';
    else if (section === 'none' && (keyword === 'ANCHOR' || keyword === 'REFERENCE')) section = 'passed over';
    else if (keyword === 'ENDSEC') {
      if (section === 'data') dataEnd = start;
      section = 'none';
    } else if (keyword === 'END-ISO-10303-21') finished = true;
    else if (section === 'header') header.push({ keyword, start, end: i });
    else if (section === 'data') throw new FileError('step-syntax', `${keyword} was found where an instance was expected.`, start);
  }
  if (dataEnd < 0) throw new FileError('step-truncated', 'The file has no data section.', bytes.length);

  const ids = spans.ids;
  const newline = bytes.indexOf(10);
  return {
    bytes,
    header,
    ids,
    starts: spans.column(0),
    rights: spans.column(1),
    ends: spans.column(2),
    byType: types.byType,
    position: positionOf(ids),
    maxId,
    dataEnd,
    eol: newline > 0 && bytes[newline - 1] === 13 ? '\r\n' : '\n',
  };
}

/** Range of the instance in a row. */
export const spanAt = (index: StepIndex, position: number): InstanceSpan => ({
  id: index.ids[position]!,
  start: index.starts[position]!,
  right: index.rights[position]!,
  end: index.ends[position]!,
});

/** Calls `visit(referrer, referred)` for each reference `#n` on right sides, in one pass that skips strings and comments. */
export function eachReference(index: StepIndex, visit: (referrer: number, referred: number) => void): void {
  const { bytes } = index;
  for (let k = 0; k < index.ids.length; k++) {
    const end = index.ends[k]!;
    let i = index.rights[k]!;
    while (i < end) {
      const c = bytes[i]!;
      if (c === APOSTROPHE) i = endOfString(bytes, i);
      else if (c === SLASH && bytes[i + 1] === STAR) i = endOfComment(bytes, i);
      else if (c === HASH) {
        let id = 0;
        for (i++; isDigit(bytes[i]!); i++) id = id * 10 + bytes[i]! - 48;
        visit(index.ids[k]!, id);
      } else i++;
    }
  }
}
